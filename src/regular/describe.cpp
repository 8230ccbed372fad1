#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <zerobeat/regular/describe.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "kernel/bucket/numbers.hpp"
#include "table/key_column.hpp"
#include "take/definitions.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::array<std::string_view, 19> describe_columns{
    "column",   "count",    "missing", "first",  "last",       "mean", "std",
    "min",      "q05",      "q25",     "median", "q75",        "q95",  "max",
    "skewness", "kurtosis", "mean_se", "t",      "p_mean_zero"};

/// The columns that are numbers, in their order.
constexpr std::size_t first_number = 5;
using Numbers = std::array<double, describe_columns.size() - first_number>;

struct Description {
  std::uint32_t strand = 0;
  std::int32_t column = 0;
  std::int64_t count = 0, missing = 0;
  Instant first{}, last{};
  Numbers numbers{};
};

/// What is the same however many readings: of none or one, not a number stands for missing.
Numbers numbers_of(std::span<const double> readings) {
  const auto n = static_cast<double>(readings.size());
  detail::BucketNumbers bucket_numbers(readings, {});
  // Of a long strand each of them takes a while.
  const auto taken = [&](Stat stat) {
    detail::check_stopped();
    return bucket_numbers(Take{.stat = stat});
  };
  const auto quantile = [&](double share) {
    detail::check_stopped();
    return bucket_numbers(Take{.stat = Stat::quantile, .share = share});
  };
  const double mean = taken(Stat::mean), std = taken(Stat::std);
  const double error = std / std::sqrt(n);
  const double t = error > 0 ? mean / error : detail::no_value;
  double p = detail::no_value;
  if (std::isfinite(t)) {
    const boost::math::students_t distribution(n - 1);
    p = 2 * boost::math::cdf(boost::math::complement(distribution, std::fabs(t)));
  }
  return {mean,
          std,
          taken(Stat::min),
          quantile(0.05),
          quantile(0.25),
          quantile(0.5),
          quantile(0.75),
          quantile(0.95),
          taken(Stat::max),
          taken(Stat::skewness),
          taken(Stat::kurtosis),
          error,
          t,
          p};
}

Description description_of(const Timeline& timeline, const Column& column, const Strand& strand) {
  Description out;
  std::vector<double> readings;
  readings.reserve(strand.size());
  const Column numbers = column.as_numbers();
  std::size_t first = strand.end, last = strand.begin;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (!column.valid(row)) continue;
    first = std::min(first, row);
    last = row;
    readings.push_back(numbers.numbers()[row]);
  }
  out.count = static_cast<std::int64_t>(readings.size());
  out.missing = static_cast<std::int64_t>(strand.size()) - out.count;
  if (!readings.empty()) {
    out.first = timeline.times()[first];
    out.last = timeline.times()[last];
  }
  out.numbers = numbers_of(readings);
  return out;
}

Column numbers_column(const std::vector<Description>& all, std::size_t place) {
  Buffer<double> values(all.size());
  ValidityBuilder validity(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    values[i] = all[i].numbers[place];
    if (!std::isfinite(values[i])) validity.set_missing(i);
  }
  return Column::numbers(std::move(values), validity.take());
}

Column times_column(const std::vector<Description>& all, Instant Description::*time,
                    const Axis& axis) {
  Buffer<Instant> values(all.size());
  ValidityBuilder validity(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    values[i] = all[i].*time;
    if (all[i].count == 0) validity.set_missing(i);
  }
  return on_axis(Column::times(std::move(values), validity.take()), axis);
}

Column counts_column(const std::vector<Description>& all, std::int64_t Description::*count) {
  Buffer<std::int64_t> values(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) values[i] = all[i].*count;
  return Column::integers(std::move(values));
}

}  // namespace

TableResult describe(const Timeline& timeline, const Describe& options) {
  StepTimer timer(options, timeline);
  const auto names = timeline.values().chosen(options.on);
  if (timeline.has_key()) {
    detail::check_free(describe_columns, timeline.key_names());
  }
  std::vector<Column> columns;
  for (const auto& name : names) columns.push_back(timeline.values().column(name).as_numbers());
  const std::size_t strands = timeline.strands().size();
  std::vector<Description> all(strands * columns.size());
  detail::parallel_for(std::size_t{0}, all.size(), [&](std::size_t i) {
    const std::size_t s = i / columns.size(), c = i % columns.size();
    all[i] = description_of(timeline, columns[c], timeline.strands()[s]);
    all[i].strand = static_cast<std::uint32_t>(s);
    all[i].column = static_cast<std::int32_t>(c);
  });

  Table table(all.size());
  std::vector<std::uint32_t> strand_of;
  Buffer<std::int32_t> codes(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    strand_of.push_back(all[i].strand);
    codes[i] = all[i].column;
  }
  detail::add_key(table, timeline, strand_of);
  table.add("column", Column::text(std::move(codes), std::make_shared<Column::Dictionary>(names)));
  table.add("count", counts_column(all, &Description::count));
  table.add("missing", counts_column(all, &Description::missing));
  table.add("first", times_column(all, &Description::first, timeline.axis()));
  table.add("last", times_column(all, &Description::last, timeline.axis()));
  for (std::size_t i = first_number; i < describe_columns.size(); ++i) {
    table.add(std::string(describe_columns[i]), numbers_column(all, i - first_number));
  }
  if (names.size() < timeline.values().names().size() && options.on.empty()) {
    timer.note(fmt::format("columns without numbers were left out: {}",
                           timeline.values().names().size() - names.size()));
  }
  const auto rows = static_cast<std::int64_t>(table.rows());
  return {
      std::move(table), timer.finish(timeline, rows),
      [timeline, names, against = to_text(options.against)] {
        return Material{.timelines = {timeline}, .names = {{"on", names}, {"against", {against}}}};
      }};
}

std::optional<std::vector<std::string>> columns_needed(const Describe& options, std::string_view) {
  if (options.on.empty()) return std::nullopt;
  return options.on;
}

Reach reach(const Describe&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
