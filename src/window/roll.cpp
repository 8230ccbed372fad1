#include <tbb/parallel_for.h>

#include <atomic>
#include <cmath>
#include <functional>
#include <map>
#include <stdexcept>
#include <zerobeat/window/roll.hpp>

#include "take/merging.hpp"
#include "take/order_statistics.hpp"
#include "take/sliding.hpp"
#include "take/window_rows.hpp"
#include "time/wide_instant.hpp"
#include "window/running.hpp"

namespace zerobeat {

namespace {

using detail::RowRange;

/// A part of a strand that is computed by itself. Parts do not depend on the number of threads.
struct Part {
  std::size_t strand = 0;
  std::size_t from = 0, until = 0;  ///< rows of the strand
};

/// About how many rows of a strand a window holds.
std::size_t rows_in_window(std::span<const Instant> strand, const Extent& window) {
  if (window.in_rows()) return static_cast<std::size_t>(window.rows);
  const double span = static_cast<double>(nanoseconds_of(strand.back())) -
                      static_cast<double>(nanoseconds_of(strand.front()));
  const Instant end = shift(strand.front(), window.period, 1, Zone());
  const double length = static_cast<double>(nanoseconds_of(end)) -
                        static_cast<double>(nanoseconds_of(strand.front()));
  if (length >= span) return strand.size();
  return static_cast<std::size_t>(static_cast<double>(strand.size()) * (length / span));
}

/// Each part starts with a window's worth of rows of its own, so a part is long beside a window.
std::vector<Part> parts_of(const Timeline& timeline, const Extent& window) {
  constexpr std::size_t least = std::size_t{1} << 18;
  std::vector<Part> parts;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    const std::size_t size = strand.size();
    if (size == 0) continue;
    const std::size_t held =
        std::min(size, rows_in_window(timeline.times().subspan(strand.begin, size), window));
    const std::size_t rows = std::max(least, 8 * held);
    for (std::size_t from = 0; from < size; from += rows) {
      parts.push_back({s, from, std::min(size, from + rows)});
    }
  }
  return parts;
}

/// What one take writes, a value and a mark a row; marks become the validity.
struct Output {
  Buffer<double> values;
  Buffer<std::uint8_t> there;
};

/// How many readings each window holds.
std::vector<std::uint32_t> count_readings(const Column& column, std::size_t offset,
                                          std::span<const RowRange> windows) {
  std::vector<std::uint32_t> counts(windows.size());
  if (windows.empty()) return counts;
  if (column.validity().all()) {
    for (std::size_t w = 0; w < windows.size(); ++w) counts[w] = windows[w].end - windows[w].begin;
    return counts;
  }
  std::size_t begin = windows[0].begin, end = begin;
  std::uint32_t count = 0;
  for (std::size_t w = 0; w < windows.size(); ++w) {
    for (; end < windows[w].end; ++end) count += column.valid(offset + end);
    for (; begin < windows[w].begin; ++begin) count -= column.valid(offset + begin);
    counts[w] = count;
  }
  return counts;
}

/// Numbers of one column's windows: everything but counts and picks.
class Kernel {
 public:
  Kernel(std::span<const double> values, std::span<const Instant> times, const Column& column,
         std::size_t offset, std::span<const RowRange> windows,
         std::span<const std::uint32_t> counts)
      : values_(values),
        times_(times),
        column_(column),
        offset_(offset),
        windows_(windows),
        counts_(counts) {}

  void run(const Take& take, double* out) const {
    const bool merges = detail::with_merging(take.stat, [&](auto row) {
      using Row = decltype(row);
      slide<typename Row::State>([&](std::size_t w, const auto& state) {
        out[w] = Row::value(state, static_cast<double>(counts_[w]));
      });
    });
    if (merges) return;
    if (take.stat != Stat::median && take.stat != Stat::quantile) {
      throw std::logic_error("a statistic of windows has no kernel");
    }
    const double share = take.stat == Stat::median ? 0.5 : take.share;
    std::vector<std::uint32_t> counts(windows_.size());
    detail::rolling_quantiles(values_, column_.validity(), offset_, windows_, {&share, 1}, counts,
                              {out, windows_.size()});
  }

 private:
  /// One reading as a state; of two variables, with its time as seconds from the strand's first.
  template <typename State>
  State state_of(std::size_t i) const {
    if constexpr (requires { State::of(0.0, 0.0); }) {
      return State::of(values_[i], detail::seconds_between(times_[0], times_[i]));
    } else {
      return State::of(values_[i]);
    }
  }

  template <typename State, typename Put>
  void slide(Put&& put) const {
    const auto own = [&](std::size_t i) { return state_of<State>(i); };
    if (column_.validity().all()) {
      detail::slide<State>(
          own, [](std::size_t) { return true; }, windows_, put);
    } else {
      detail::slide<State>(
          own, [&](std::size_t i) { return column_.valid(offset_ + i); }, windows_, put);
    }
  }

  std::span<const double> values_;
  std::span<const Instant> times_;
  const Column& column_;
  std::size_t offset_;
  std::span<const RowRange> windows_;
  std::span<const std::uint32_t> counts_;
};

bool is_count(Stat stat) { return stat == Stat::count || stat == Stat::missing; }
bool is_pick(Stat stat) { return stat == Stat::first || stat == Stat::last; }

/// The first or last reading of each window, as rows; -1 when it has none.
void pick_rows(const Column& column, std::size_t offset, std::span<const RowRange> windows,
               bool last, std::int64_t* out) {
  // The nearest reading at or after (before) each row is looked up as the window moves on.
  std::size_t at = windows.empty() ? 0 : windows[0].begin;
  std::int64_t latest = -1;
  for (std::size_t w = 0; w < windows.size(); ++w) {
    const RowRange window = windows[w];
    if (last) {
      for (; at < window.end; ++at) {
        if (column.valid(offset + at)) latest = static_cast<std::int64_t>(at);
      }
      out[w] = latest >= static_cast<std::int64_t>(window.begin) ? latest : -1;
    } else {
      at = std::max<std::size_t>(at, window.begin);
      while (at < window.end && !column.valid(offset + at)) ++at;
      out[w] = at < window.end ? static_cast<std::int64_t>(at) : -1;
    }
    if (out[w] >= 0) out[w] += static_cast<std::int64_t>(offset);
  }
}

Validity validity_of(const Buffer<std::uint8_t>& there) {
  ValidityBuilder validity(there.size());
  for (std::size_t i = 0; i < there.size(); ++i) {
    if (there[i] == 0) validity.set_missing(i);
  }
  return validity.take();
}

/// The columns of takes of windows, by name.
std::map<std::string, Column> windowed(const Timeline& timeline, const Roll& options,
                                       const std::vector<Take>& takes) {
  if (takes.empty()) return {};
  const std::int64_t least =
      options.min_count.value_or(options.window.in_rows() ? options.window.rows : 1);
  // A count of nothing is 0, unless fewer readings were asked to count for nothing.
  const std::int64_t least_for_counts = options.min_count || options.window.in_rows() ? least : 0;
  const std::size_t rows = timeline.rows();

  std::vector<Column> columns(takes.size());
  std::vector<Output> outputs(takes.size());
  std::vector<std::vector<std::int64_t>> picks(takes.size());
  for (std::size_t k = 0; k < takes.size(); ++k) {
    if (is_pick(takes[k].stat)) {
      columns[k] = timeline.values().column(takes[k].column);
      picks[k].resize(rows);
      continue;
    }
    if (!takes[k].of_records) columns[k] = timeline.values().column(takes[k].column);
    if (columns[k].is_numeric() && !is_count(takes[k].stat)) columns[k] = columns[k].as_numbers();
    outputs[k].values = Buffer<double>(rows);
    outputs[k].there = Buffer<std::uint8_t>(rows);
  }

  const auto parts = parts_of(timeline, options.window);
  tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
    const Part& part = parts[p];
    const Strand& strand = timeline.strands()[part.strand];
    const auto windows =
        detail::window_rows(timeline.times().subspan(strand.begin, strand.size()), options.window,
                            options.place, timeline.zone(), part.from, part.until);
    const std::size_t out = strand.begin + part.from;
    for (std::size_t k = 0; k < takes.size(); ++k) {
      const Take& take = takes[k];
      if (take.of_records) {
        for (std::size_t w = 0; w < windows.size(); ++w) {
          outputs[k].values[out + w] = windows[w].end - windows[w].begin;
          outputs[k].there[out + w] = 1;
        }
        continue;
      }
      const Column& column = columns[k];
      const auto counts = count_readings(column, strand.begin, windows);
      if (is_count(take.stat)) {
        for (std::size_t w = 0; w < windows.size(); ++w) {
          const std::uint32_t size = windows[w].end - windows[w].begin;
          outputs[k].values[out + w] = take.stat == Stat::count ? counts[w] : size - counts[w];
          outputs[k].there[out + w] = counts[w] >= least_for_counts;
        }
        continue;
      }
      std::int64_t needed = std::max<std::int64_t>(least, 1);
      detail::with_merging(take.stat, [&](auto row) { needed = std::max(needed, row.least); });
      if (is_pick(take.stat)) {
        pick_rows(column, strand.begin, windows, take.stat == Stat::last, picks[k].data() + out);
        for (std::size_t w = 0; w < windows.size(); ++w) {
          if (counts[w] < needed) picks[k][out + w] = -1;
        }
        continue;
      }
      const Kernel kernel(column.numbers().subspan(strand.begin, strand.size()),
                          timeline.times().subspan(strand.begin, strand.size()), column,
                          strand.begin, windows, counts);
      kernel.run(take, outputs[k].values.data() + out);
      for (std::size_t w = 0; w < windows.size(); ++w) {
        outputs[k].there[out + w] = counts[w] >= needed && !std::isnan(outputs[k].values[out + w]);
      }
    }
  });

  std::map<std::string, Column> result;
  for (std::size_t k = 0; k < takes.size(); ++k) {
    const Take& take = takes[k];
    Column column;
    if (is_pick(take.stat)) {
      column = columns[k].gather(picks[k]);
    } else if (is_count(take.stat)) {
      Buffer<std::int64_t> counts(rows);
      for (std::size_t i = 0; i < rows; ++i) {
        counts[i] = static_cast<std::int64_t>(outputs[k].values[i]);
      }
      column = Column::integers(std::move(counts), validity_of(outputs[k].there));
    } else {
      Validity validity = validity_of(outputs[k].there);
      column = Column::numbers(std::move(outputs[k].values), std::move(validity));
    }
    result.emplace(take.result_name(), std::move(column));
  }
  return result;
}

}  // namespace

Timeline roll(const Timeline& timeline, const Roll& options) {
  check_on_axis(timeline.axis(), options.window, "--window");
  if (options.restart) check_on_axis(timeline.axis(), *options.restart, "--restart");
  StepTimer timer("roll", describe_options(options), timeline);
  const bool no_window = options.window == Extent{};
  if (options.min_count && *options.min_count < 0) {
    fail_usage("--min-count {}: a number of readings is not negative", *options.min_count);
  }
  const auto all = resolve_takes(
      options.take, timeline.values(), no_window && options.restart ? Stat::cumsum : Stat::mean,
      TakenBy::windows, "roll", timeline.time_name(), timeline.key_name());
  const auto is_total = [](const Take& take) { return take.stat == Stat::cumsum; };
  if (options.restart && std::ranges::none_of(all, is_total)) {
    fail_usage("--restart goes with cumsum(x); a window does not start again");
  }
  if (!no_window || !std::ranges::all_of(all, is_total)) {
    detail::check_window(options.window, options.place, "window");
  }
  std::vector<Take> takes;
  std::ranges::copy_if(all, std::back_inserter(takes), std::not_fn(is_total));
  std::map<std::string, Column> made = windowed(timeline, options, takes);
  std::vector<std::size_t> starts;
  if (takes.size() < all.size()) starts = detail::starts_of_totals(timeline, options.restart);
  Timeline::Parts parts = timeline.parts();
  for (const Take& take : all) {
    const std::string name = take.result_name();
    if (!is_total(take)) {
      parts.values.add(name, made.at(name));
      continue;
    }
    std::vector<std::string> notes;
    parts.values.add(name, detail::running_total(timeline.values().column(take.column), starts,
                                                 options.min_count.value_or(0), notes));
    for (auto& note : notes) timer.note(name + ": " + note);
  }
  return timer.finish(std::move(parts));
}

Reach reach(const Roll& options) {
  const Extent& window = options.window;
  const bool totals =
      std::ranges::any_of(options.take, [](const Take& take) { return take.stat == Stat::cumsum; });
  if (totals || options.restart) {
    const bool looks_ahead = options.place != Place::trailing && window != Extent{};
    const ReachSide back =
        options.restart ? ReachSide::of(Extent(*options.restart)) : ReachSide::whole();
    if (!looks_ahead) return {back, {}};
    return {ReachSide::whole(), ReachSide::whole()};
  }
  const auto rows = [](std::int64_t n) {
    return n == 0 ? ReachSide::none() : ReachSide::of(Extent(n));
  };
  switch (options.place) {
    case Place::trailing:
      return {window.in_rows() ? rows(window.rows - 1) : ReachSide::of(window), {}};
    case Place::leading:
      return {{}, window.in_rows() ? rows(window.rows - 1) : ReachSide::of(window)};
    case Place::centred:
      break;
  }
  if (window.in_rows()) return {rows(window.rows / 2), rows((window.rows - 1) / 2)};
  return {ReachSide::of(half_of(window.period)), ReachSide::of(half_of(window.period))};
}

}  // namespace zerobeat
