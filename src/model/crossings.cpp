#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/crossings.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "model/cells.hpp"
#include "table/key_column.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::array<std::string_view, 5> crossings_columns{"column", "with", "at", "direction",
                                                            "value"};

using CrossingTexts = std::vector<std::optional<std::string>>;

struct FoundCrossing {
  Instant at{};
  bool up = false;
  double value = 0;
  std::int64_t rows = 0;  ///< of the new sign, to the next crossing
  Instant last{};         ///< row that has both
};

/// What a column is compared with.
struct CrossedOther {
  std::optional<Column> column{};
  double value = 0;

  [[nodiscard]] bool valid(std::size_t row) const { return !column || column->valid(row); }
  [[nodiscard]] double at(std::size_t row) const { return column ? column->numbers()[row] : value; }
};

Column compared_numbers(const Timeline& timeline, const std::string& name) {
  const Column& column = timeline.values().column(name);
  if (!column.is_numeric()) fail_usage("\"{}\" holds no numbers to compare", name);
  return column.as_numbers();
}

CrossedOther other_of(const Timeline& timeline, const Crossings& options) {
  if (options.of.empty() || options.with.empty()) {
    fail_usage("crossings takes ‹of› COLUMN and ‹with› COLUMN or a number");
  }
  CrossedOther other;
  if (timeline.values().find(options.with)) {
    other.column = compared_numbers(timeline, options.with);
    return other;
  }
  try {
    from_text(options.with, other.value);
  } catch (const Error&) {
    other.column = compared_numbers(timeline, options.with);  // which says what is wrong
  }
  if (!std::isfinite(other.value)) fail_usage("‹with› {}: it is no number", options.with);
  return other;
}

/// Where the line from `before` to `after` passes zero, as a share of the way.
long double share_to_zero(double before, double after) {
  const long double a = std::fabs(static_cast<long double>(before));
  const long double b = std::fabs(static_cast<long double>(after));
  return a / (a + b);
}

class CrossingSearch {
 public:
  CrossingSearch(const Timeline& timeline, const Column& numbers, const CrossedOther& other)
      : times_(timeline.times()), numbers_(numbers), values_(numbers.numbers()), other_(other) {}

  std::vector<FoundCrossing> in(const Strand& strand) {
    bool any = false, zero = false;
    std::size_t before = 0, first_zero = 0;
    double before_is = 0;
    Instant last{};
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (!numbers_.valid(row) || !other_.valid(row)) continue;
      const double is = values_[row] - other_.at(row);
      if (std::isnan(is)) continue;
      last = times_[row];
      if (is == 0) {
        if (!zero) first_zero = row;
        zero = true;
        continue;
      }
      if (any && (is > 0) != (before_is > 0)) {
        zero ? put(times_[first_zero], values_[first_zero], is > 0)
             : put_between(before, row, before_is, is);
      }
      if (!found_.empty()) ++found_.back().rows;
      any = true;
      zero = false;
      before = row;
      before_is = is;
    }
    for (FoundCrossing& found : found_) found.last = last;
    return std::move(found_);
  }

 private:
  void put(Instant at, double value, bool up) { found_.push_back({at, up, value, 0, {}}); }

  void put_between(std::size_t before, std::size_t row, double before_is, double is) {
    const long double share = share_to_zero(before_is, is);
    const Wide from = nanoseconds_of(times_[before]);
    const Wide length = Wide(nanoseconds_of(times_[row])) - from;
    const auto into = static_cast<Wide>(std::round(share * static_cast<long double>(length)));
    const double a = values_[before], b = values_[row];
    put(detail::bounded_instant(from + into),
        static_cast<double>(a + share * (static_cast<long double>(b) - a)), is > 0);
  }

  std::span<const Instant> times_;
  const Column& numbers_;
  std::span<const double> values_;
  const CrossedOther& other_;
  std::vector<FoundCrossing> found_{};
};

/// Leaves those out after which the new sign does not hold long enough.
void keep_staying(std::vector<FoundCrossing>& all, const Extent& stay, const Zone& zone) {
  std::vector<FoundCrossing> kept;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const Instant until = i + 1 < all.size() ? all[i + 1].at : all[i].last;
    const bool stays =
        stay.in_rows() ? all[i].rows >= stay.rows : until >= shift(all[i].at, stay.period, 1, zone);
    if (stays) kept.push_back(all[i]);
  }
  all = std::move(kept);
}

}  // namespace

TableResult crossings(const Timeline& timeline, const Crossings& options) {
  StepTimer timer(options, timeline);
  const CrossedOther other = other_of(timeline, options);
  if (options.stay && !options.stay->in_rows()) {
    check_on_axis(timeline.axis(), options.stay->period, "‹stay›");
  }
  const Column numbers = compared_numbers(timeline, options.of);
  detail::check_free(crossings_columns, timeline.key_names());
  std::vector<std::vector<FoundCrossing>> all(timeline.strands().size());
  detail::parallel_for(std::size_t{0}, all.size(), [&](std::size_t s) {
    all[s] = CrossingSearch(timeline, numbers, other).in(timeline.strands()[s]);
    if (options.stay) keep_staying(all[s], *options.stay, timeline.zone());
  });

  std::vector<std::uint32_t> strands;
  std::vector<std::optional<std::string>> directions;
  std::vector<Instant> at;
  std::vector<double> values;
  for (std::size_t s = 0; s < all.size(); ++s) {
    for (const FoundCrossing& found : all[s]) {
      strands.push_back(static_cast<std::uint32_t>(s));
      directions.emplace_back(found.up ? "up" : "down");
      at.push_back(found.at);
      values.push_back(found.value);
    }
  }
  const std::size_t rows = at.size();
  Table table(rows);
  detail::add_key(table, timeline, strands);
  table.add("column", detail::column_of_texts(CrossingTexts(rows, options.of)));
  table.add("with", detail::column_of_texts(CrossingTexts(rows, options.with)));
  table.add("at", on_axis(Column(std::move(at)), timeline.axis()));
  table.add("direction", detail::column_of_texts(directions));
  table.add("value", detail::column_of_numbers(values));
  return {std::move(table), timer.finish(timeline, static_cast<std::int64_t>(rows)),
          [timeline, of = options.of, with = options.with, found = std::move(all)] {
            detail::MarkedRows marks;
            for (std::size_t s = 0; s < found.size(); ++s) {
              for (const FoundCrossing& each : found[s])
                marks.add(s, 0, each.at, each.value, each.up);
            }
            return Material{.timelines = {timeline},
                            .tables = {{"found", marks.table()}},
                            .names = {{"of", {of}}, {"with", {with}}}};
          }};
}

std::optional<std::vector<std::string>> columns_needed(const Crossings& options, std::string_view) {
  // A number is no column's name, unless there is one.
  return std::vector<std::string>{options.of, options.with};
}

Reach reach(const Crossings&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
