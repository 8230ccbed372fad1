#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/peaks.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "model/cells.hpp"
#include "model/tops.hpp"
#include "table/key_column.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::array<std::string_view, 6> peaks_columns{"column", "kind",       "at",
                                                        "value",  "prominence", "width_s"};

struct FoundPeak {
  std::size_t row = 0;  ///< of the timeline
  bool trough = false;
  double value = 0, prominence = 0, width_s = 0;
};

void check(const Timeline& timeline, const Peaks& options) {
  if (!(options.prominence >= 0)) {
    fail_usage("‹prominence› {}: it is a height, 0 or more", options.prominence);
  }
  if (options.apart && !options.apart->in_rows()) {
    check_on_axis(timeline.axis(), options.apart->period, "‹apart›");
  }
}

/// The readings of a column that are there, and the rows that they stand in.
class PeakReadings {
 public:
  PeakReadings(const Timeline& timeline, const Strand& strand, const Column& numbers)
      : timeline_(timeline), begin_(strand.begin) {
    const auto all = numbers.numbers().subspan(strand.begin, strand.size());
    if (numbers.validity().all()) {
      values_ = all;
      return;
    }
    for (std::size_t i = 0; i < all.size(); ++i) {
      if (!numbers.valid(strand.begin + i)) continue;
      own_.push_back(all[i]);
      rows_.push_back(i);
    }
    values_ = own_;
  }

  [[nodiscard]] std::span<const double> values() const { return values_; }
  /// Negated, for troughs.
  void negate() {
    if (own_.empty()) own_.assign(values_.begin(), values_.end());
    for (double& value : own_) value = -value;
    values_ = own_;
  }
  [[nodiscard]] std::size_t row(std::size_t i) const {
    return begin_ + (rows_.empty() ? i : rows_[i]);
  }
  [[nodiscard]] Instant time(std::size_t i) const { return timeline_.times()[row(i)]; }

  /// Seconds between two places, on the lines between readings.
  [[nodiscard]] double seconds(double from, double to) const {
    const auto a = static_cast<std::size_t>(from), b = static_cast<std::size_t>(to);
    const auto into = [&](double place, std::size_t i) {
      const double rest = place - static_cast<double>(i);
      return rest > 0 ? rest * detail::seconds_between(time(i), time(i + 1)) : 0.0;
    };
    return detail::seconds_between(time(a), time(b)) + into(to, b) - into(from, a);
  }

 private:
  const Timeline& timeline_;
  std::size_t begin_;
  std::span<const double> values_{};
  std::vector<double> own_{};
  std::vector<std::size_t> rows_{};
};

/// Of tops that are nearer to each other than that, the higher stays.
class Apart {
 public:
  Apart(const Timeline& timeline, const PeakReadings& readings, const Extent& apart)
      : timeline_(timeline), readings_(readings), apart_(apart) {}

  void keep(std::vector<std::size_t>& chosen, const std::vector<detail::Top>& tops) const {
    std::vector<std::size_t> order(chosen.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::stable_sort(order, std::greater(),
                             [&](std::size_t i) { return tops[chosen[i]].value; });
    std::vector<bool> gone(chosen.size());
    const auto place = [&](std::size_t i) { return tops[chosen[i]].middle(); };
    for (const std::size_t i : order) {
      if (gone[i]) continue;
      for (std::size_t j = i; j-- > 0 && is_nearer(place(j), place(i));) gone[j] = true;
      for (std::size_t j = i + 1; j < chosen.size() && is_nearer(place(i), place(j)); ++j) {
        gone[j] = true;
      }
    }
    std::size_t kept = 0;
    for (std::size_t i = 0; i < chosen.size(); ++i) {
      if (!gone[i]) chosen[kept++] = chosen[i];
    }
    chosen.resize(kept);
  }

 private:
  [[nodiscard]] bool is_nearer(std::size_t a, std::size_t b) const {
    if (apart_.in_rows()) {
      return readings_.row(b) - readings_.row(a) < static_cast<std::size_t>(apart_.rows);
    }
    return readings_.time(b) < shift(readings_.time(a), apart_.period, 1, timeline_.zone());
  }

  const Timeline& timeline_;
  const PeakReadings& readings_;
  const Extent& apart_;
};

void find_peaks(const Timeline& timeline, const Strand& strand, const Column& numbers,
                const Peaks& options, bool trough, std::vector<FoundPeak>& found) {
  PeakReadings readings(timeline, strand, numbers);
  if (trough) readings.negate();
  const auto tops = detail::tops_of(readings.values(), options.prominence);
  const double sign = trough ? -1 : 1;
  std::vector<std::size_t> chosen;
  for (std::size_t i = 0; i < tops.size(); ++i) {
    const double value = sign * tops[i].value;
    if (options.above && !(value > *options.above)) continue;
    if (options.below && !(value < *options.below)) continue;
    chosen.push_back(i);
  }
  detail::check_stopped();
  if (options.apart) Apart(timeline, readings, *options.apart).keep(chosen, tops);
  detail::TopSides top_sides(readings.values());
  for (const std::size_t i : chosen) {
    const detail::Top& top = tops[i];
    const auto sides = top_sides.at(top, top.value - top.prominence / 2);
    found.push_back({readings.row(top.middle()), trough, sign * top.value, top.prominence,
                     readings.seconds(sides.left, sides.right)});
  }
}

}  // namespace

TableResult peaks(const Timeline& timeline, const Peaks& options) {
  StepTimer timer(options, timeline);
  check(timeline, options);
  const auto names = timeline.values().chosen(options.on);
  detail::check_free(peaks_columns, timeline.key_names());
  std::vector<Column> columns;
  for (const auto& name : names) columns.push_back(timeline.values().column(name).as_numbers());
  const std::size_t each = columns.size();
  std::vector<std::vector<FoundPeak>> all(timeline.strands().size() * each);
  detail::parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) {
    const Strand& strand = timeline.strands()[i / each];
    const Column& numbers = columns[i % each];
    if (options.kind != Peaks::Kind::troughs) {
      find_peaks(timeline, strand, numbers, options, false, all[i]);
    }
    if (options.kind != Peaks::Kind::peaks) {
      find_peaks(timeline, strand, numbers, options, true, all[i]);
      std::ranges::sort(all[i], {}, &FoundPeak::row);
    }
  });

  std::vector<std::uint32_t> strands;
  std::vector<std::int32_t> columns_of, kinds;
  std::vector<Instant> at;
  std::vector<double> values, prominences, widths;
  for (std::size_t i = 0; i < all.size(); ++i) {
    for (const FoundPeak& found : all[i]) {
      strands.push_back(static_cast<std::uint32_t>(i / each));
      columns_of.push_back(static_cast<std::int32_t>(i % each));
      kinds.push_back(found.trough ? 1 : 0);
      at.push_back(timeline.times()[found.row]);
      values.push_back(found.value);
      prominences.push_back(found.prominence);
      widths.push_back(found.width_s);
    }
  }
  Table table(at.size());
  detail::add_key(table, timeline, strands);
  table.add("column", detail::column_of_words(columns_of, names));
  table.add("kind", detail::column_of_words(kinds, {"peak", "trough"}));
  table.add("at", on_axis(Column(std::move(at)), timeline.axis()));
  table.add("value", detail::column_of_numbers(values));
  table.add("prominence", detail::column_of_numbers(prominences));
  table.add("width_s", detail::column_of_numbers(widths));
  const auto rows = static_cast<std::int64_t>(table.rows());
  return {std::move(table), timer.finish(timeline, rows),
          [timeline, names, found = std::move(all)] {
            detail::MarkedRows marks;
            for (std::size_t i = 0; i < found.size(); ++i) {
              for (const FoundPeak& each_found : found[i]) {
                marks.add(i / names.size(), i % names.size(), timeline.times()[each_found.row],
                          each_found.value, !each_found.trough);
              }
            }
            return Material{.timelines = {timeline},
                            .tables = {{"found", marks.table()}},
                            .names = {{"on", names}}};
          }};
}

std::optional<std::vector<std::string>> columns_needed(const Peaks& options, std::string_view) {
  if (options.on.empty()) return std::nullopt;
  return options.on;
}

Reach reach(const Peaks&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
