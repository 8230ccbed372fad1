#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/correlate.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "kernel/sums.hpp"
#include "model/beat.hpp"
#include "model/cells.hpp"
#include "model/correlations.hpp"
#include "model/lag_sums.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1 {

namespace detail {

Centred centred(const Column& numbers, const Strand& strand) {
  Centred out;
  const auto all = numbers.numbers().subspan(strand.begin, strand.size());
  std::vector<double> there;
  there.reserve(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (numbers.valid(strand.begin + i) && std::isfinite(all[i])) there.push_back(all[i]);
  }
  out.readings = static_cast<std::int64_t>(there.size());
  if (there.empty()) return out;
  const double mean = sum_of(there).mean(there.size());
  out.values.resize(all.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    const bool is_there = numbers.valid(strand.begin + i) && std::isfinite(all[i]);
    out.values[i] = is_there ? all[i] - mean : 0;
  }
  std::vector<double> squares;
  squares.reserve(there.size());
  for (const double x : there) squares.push_back((x - mean) * (x - mean));
  out.squares = sum_of(squares).mean(squares.size()) * static_cast<double>(squares.size());
  // What rounding alone leaves of equal readings is nothing.
  const double scale = std::fabs(mean) * 1e-15;
  if (out.squares <= static_cast<double>(there.size()) * scale * scale) out.squares = 0;
  return out;
}

std::vector<double> correlations_of(const Centred& x, std::size_t lags) {
  auto sums = lag_sums(x.values, x.values, lags);
  for (double& sum : sums) sum /= x.squares;
  return sums;
}

std::vector<double> partial_of(std::span<const double> correlations) {
  const std::size_t lags = correlations.size();
  std::vector<double> partial(lags, std::nan("")), before, own;
  double rest = 1;
  for (std::size_t k = 1; k < lags; ++k) {
    double sum = correlations[k];
    for (std::size_t j = 1; j < k; ++j) sum -= before[j - 1] * correlations[k - j];
    const double value = sum / rest;
    if (!(std::fabs(value) < 1)) break;
    partial[k] = value;
    own.assign(k, 0);
    for (std::size_t j = 1; j < k; ++j) own[j - 1] = before[j - 1] - value * before[k - j - 1];
    own[k - 1] = value;
    before = own;
    rest *= 1 - value * value;
  }
  return partial;
}

double chi_squared_p(double statistic, double degrees) {
  if (!std::isfinite(statistic) || !(degrees > 0)) return std::nan("");
  const boost::math::chi_squared distribution(degrees);
  return boost::math::cdf(boost::math::complement(distribution, std::max(0.0, statistic)));
}

std::vector<double> ljung_box(std::span<const double> correlations, double readings) {
  std::vector<double> q(correlations.size(), std::nan(""));
  double sum = 0;
  for (std::size_t k = 1; k < correlations.size() && static_cast<double>(k) < readings; ++k) {
    sum += correlations[k] * correlations[k] / (readings - static_cast<double>(k));
    q[k] = readings * (readings + 2) * sum;
  }
  return q;
}

}  // namespace detail

namespace {

using detail::Centred;

constexpr std::array<std::string_view, 7> correlate_columns{
    "column", "lag", "correlation", "partial", "bound", "q", "p"};
constexpr std::array<std::string_view, 5> correlate_with_columns{"column", "with", "lag",
                                                                 "correlation", "bound"};

/// As many lags as are asked for, or as one looks at of so many readings.
std::int64_t lags_of(const Correlate& options, std::int64_t readings) {
  if (options.lags) return *options.lags;
  if (readings < 2) return 0;
  const double usual = std::floor(10 * std::log10(static_cast<double>(readings)));
  return std::min(static_cast<std::int64_t>(usual), readings - 1);
}

void check(const Correlate& options) {
  if (options.lags && (*options.lags < 1 || *options.lags > 1'000'000'000)) {
    fail_usage("‹lags› {}: it is a number of rows, 1 or more", *options.lags);
  }
}

/// A table's rows of one strand and column.
struct CorrelatedPart {
  std::int64_t lags = 0;
  std::vector<double> correlation{}, partial{}, q{}, p{};
  double bound = std::nan("");
  std::string note{};
};

CorrelatedPart with_itself(const Centred& x, const Correlate& options) {
  CorrelatedPart part;
  part.lags = lags_of(options, x.readings);
  const auto rows = static_cast<std::size_t>(part.lags);
  part.correlation.assign(rows, std::nan(""));
  part.partial = part.q = part.p = part.correlation;
  const auto n = static_cast<double>(x.readings);
  if (x.readings > 0) part.bound = 1.96 / std::sqrt(n);
  if (x.readings < 2 || x.squares == 0) {
    part.note = x.readings < 2 ? "fewer than two readings" : "all readings are equal";
    return part;
  }
  const auto most = static_cast<std::size_t>(std::min(part.lags, x.readings - 1));
  const auto correlations = detail::correlations_of(x, most);
  const auto partial = detail::partial_of(correlations);
  const auto q = detail::ljung_box(correlations, n);
  for (std::size_t k = 1; k <= most; ++k) {
    part.correlation[k - 1] = correlations[k];
    part.partial[k - 1] = partial[k];
    part.q[k - 1] = q[k];
    part.p[k - 1] = detail::chi_squared_p(q[k], static_cast<double>(k));
  }
  return part;
}

CorrelatedPart with_another(const Centred& x, const Centred& y, std::int64_t both,
                            const Correlate& options) {
  CorrelatedPart part;
  part.lags = lags_of(options, both);
  const auto lags = static_cast<std::size_t>(part.lags);
  part.correlation.assign(lags == 0 ? 0 : 2 * lags + 1, std::nan(""));
  if (both > 0) part.bound = 1.96 / std::sqrt(static_cast<double>(both));
  if (x.squares == 0 || y.squares == 0 || lags == 0) {
    part.note = lags == 0 ? "fewer than two rows have both" : "all readings of one are equal";
    return part;
  }
  const std::size_t most = std::min(lags, x.values.size() - 1);
  const auto ahead = detail::lag_sums(x.values, y.values, most);
  const auto back = detail::lag_sums(y.values, x.values, most);
  const double divisor = std::sqrt(x.squares) * std::sqrt(y.squares);
  for (std::size_t k = 0; k <= most; ++k) {
    part.correlation[lags + k] = ahead[k] / divisor;
    part.correlation[lags - k] = back[k] / divisor;
  }
  return part;
}

std::int64_t rows_of_both(const Column& a, const Column& b, const Strand& strand) {
  std::int64_t rows = 0;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    rows += a.valid(row) && b.valid(row) ? 1 : 0;
  }
  return rows;
}

/// The parts as one table.
Table table_of(const Timeline& timeline, const std::vector<std::string>& names,
               const std::vector<CorrelatedPart>& parts, const Correlate& options) {
  std::vector<std::uint32_t> strands;
  std::vector<std::optional<std::string>> column, with;
  std::vector<std::optional<std::int64_t>> lag;
  std::vector<double> correlation, partial, bound, q, p;
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const CorrelatedPart& part = parts[i];
    const std::int64_t first = options.with.empty() ? 1 : -part.lags;
    for (std::size_t k = 0; k < part.correlation.size(); ++k) {
      strands.push_back(static_cast<std::uint32_t>(i / names.size()));
      column.emplace_back(names[i % names.size()]);
      lag.emplace_back(first + static_cast<std::int64_t>(k));
      correlation.push_back(part.correlation[k]);
      bound.push_back(part.bound);
      if (!options.with.empty()) continue;
      partial.push_back(part.partial[k]);
      q.push_back(part.q[k]);
      p.push_back(part.p[k]);
    }
  }
  Table table(lag.size());
  detail::add_key(table, timeline, strands);
  table.add("column", detail::column_of_texts(column));
  if (!options.with.empty()) {
    with.assign(lag.size(), options.with);
    table.add("with", detail::column_of_texts(with));
  }
  table.add("lag", detail::column_of_counts(lag));
  table.add("correlation", detail::column_of_numbers(correlation));
  if (options.with.empty()) table.add("partial", detail::column_of_numbers(partial));
  table.add("bound", detail::column_of_numbers(bound));
  if (options.with.empty()) {
    table.add("q", detail::column_of_numbers(q));
    table.add("p", detail::column_of_numbers(p));
  }
  return table;
}

}  // namespace

TableResult correlate(const Timeline& timeline, const Correlate& options) {
  StepTimer timer(options, timeline);
  check(options);
  auto names = timeline.values().chosen(options.on);
  Column other;
  if (!options.with.empty()) {
    other = timeline.values().column(timeline.values().chosen({options.with})[0]).as_numbers();
    if (options.on.empty()) std::erase(names, options.with);
  }
  detail::check_free(options.with.empty()
                         ? std::span<const std::string_view>(correlate_columns)
                         : std::span<const std::string_view>(correlate_with_columns),
                     timeline.key_names());
  const detail::BeatOptions beats{options.by_rows, options.days.read()};
  for (const Strand& strand : timeline.strands()) {
    static_cast<void>(detail::beat_of(timeline, strand, beats));
  }
  std::vector<CorrelatedPart> parts;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    const Centred y = options.with.empty() ? Centred() : detail::centred(other, strand);
    for (const auto& name : names) {
      detail::check_stopped();
      const Column numbers = timeline.values().column(name).as_numbers();
      const Centred x = detail::centred(numbers, strand);
      parts.push_back(options.with.empty()
                          ? with_itself(x, options)
                          : with_another(x, y, rows_of_both(numbers, other, strand), options));
      if (!parts.back().note.empty()) {
        timer.note(fmt::format("{}: {}: it has no correlations", detail::strand_title(strand, name),
                               parts.back().note));
      }
    }
  }
  Table table = table_of(timeline, names, parts, options);
  const auto rows = static_cast<std::int64_t>(table.rows());
  return {std::move(table), timer.finish(timeline, rows), [] { return Material(); }};
}

std::optional<std::vector<std::string>> columns_needed(const Correlate& options, std::string_view) {
  if (options.on.empty()) return std::nullopt;
  auto names = options.on;
  if (!options.with.empty()) names.push_back(options.with);
  return names;
}

Reach reach(const Correlate&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
