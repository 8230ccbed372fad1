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

/// Over readings `a` and what they are compared with, both functions of a row; `both` tells whether
/// a row has the two.
template <typename Both, typename With>
std::vector<FoundCrossing> crossings_in(const Strand& strand, std::span<const Instant> times,
                                        std::span<const double> a, const Both& both,
                                        const With& with) {
  std::vector<FoundCrossing> found;
  // Rows so far whose two differ; where the last of them was; the first of those since, if any, at
  // which the two are equal.
  std::int64_t signs = 0;
  std::size_t before = strand.end, first_zero = strand.end, last = strand.end;
  double before_is = 0;
  const auto put = [&](Instant at, double value, double is) {
    if (!found.empty()) found.back().rows = signs - found.back().rows;
    found.push_back({at, is > 0, value, signs, {}});
  };
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (!both(row)) continue;
    const double is = a[row] - with(row);
    if (is == 0) {
      if (first_zero == strand.end) first_zero = row;
      last = row;
      continue;
    }
    if (std::isnan(is)) continue;
    if ((is > 0) != (before_is > 0) && before != strand.end) [[unlikely]] {
      if (first_zero != strand.end) {
        put(times[first_zero], a[first_zero], is);
      } else {
        const long double share = share_to_zero(before_is, is);
        const Wide from = nanoseconds_of(times[before]);
        const Wide length = Wide(nanoseconds_of(times[row])) - from;
        const auto into = static_cast<Wide>(std::round(share * static_cast<long double>(length)));
        put(detail::bounded_instant(from + into),
            static_cast<double>(a[before] + share * (static_cast<long double>(a[row]) - a[before])),
            is);
      }
    }
    ++signs;
    first_zero = strand.end;
    last = before = row;
    before_is = is;
  }
  if (!found.empty()) found.back().rows = signs - found.back().rows;
  for (FoundCrossing& crossing : found) crossing.last = times[last];
  return found;
}

std::vector<FoundCrossing> crossings_of(const Timeline& timeline, const Strand& strand,
                                        const Column& numbers, const CrossedOther& other) {
  const auto times = timeline.times();
  const auto a = numbers.numbers();
  const auto always = [](std::size_t) { return true; };
  const auto both = [&](std::size_t row) { return numbers.valid(row) && other.valid(row); };
  const bool dense = numbers.validity().all() && (!other.column || other.column->validity().all());
  if (!other.column) {
    const auto with = [value = other.value](std::size_t) { return value; };
    return dense ? crossings_in(strand, times, a, always, with)
                 : crossings_in(strand, times, a, both, with);
  }
  const auto with = [b = other.column->numbers()](std::size_t row) { return b[row]; };
  return dense ? crossings_in(strand, times, a, always, with)
               : crossings_in(strand, times, a, both, with);
}

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
    all[s] = crossings_of(timeline, timeline.strands()[s], numbers, other);
    if (options.stay) keep_staying(all[s], *options.stay, timeline.zone());
  });

  std::vector<std::uint32_t> strands;
  std::vector<std::int32_t> directions;
  std::vector<Instant> at;
  std::vector<double> values;
  for (std::size_t s = 0; s < all.size(); ++s) {
    for (const FoundCrossing& found : all[s]) {
      strands.push_back(static_cast<std::uint32_t>(s));
      directions.push_back(found.up ? 0 : 1);
      at.push_back(found.at);
      values.push_back(found.value);
    }
  }
  const std::size_t rows = at.size();
  Table table(rows);
  detail::add_key(table, timeline, strands);
  table.add("column", detail::column_of_one(rows, options.of));
  table.add("with", detail::column_of_one(rows, options.with));
  table.add("at", on_axis(Column(std::move(at)), timeline.axis()));
  table.add("direction", detail::column_of_words(directions, {"up", "down"}));
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
