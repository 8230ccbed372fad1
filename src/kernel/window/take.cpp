#include "kernel/window/take.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <vector>

#include "base/clones.hpp"
#include "kernel/order_statistics.hpp"
#include "kernel/window/kernels.hpp"
#include "kernel/window/quantiles.hpp"
#include "kernel/window/sorted_windows.hpp"
#include "kernel/window/sums.hpp"
#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Kind = WindowColumn::Kind;

/// Of one reading of the window, or its time.
bool is_pick(const Statistic& row) {
  return row.result == Result::reading || row.result == Result::time;
}

ZEROBEAT_CLONES
bool have_enough(const RowRange* windows, std::size_t size, std::uint32_t needed) {
  std::uint32_t few = 0;
  for (std::size_t w = 0; w < size; ++w) few |= windows[w].end - windows[w].begin < needed;
  return few == 0;
}

ZEROBEAT_CLONES
bool are_numbers(const double* numbers, std::size_t size) {
  std::int64_t none = 0;
  for (std::size_t w = 0; w < size; ++w) none |= -std::int64_t{numbers[w] != numbers[w]};
  return none == 0;
}

/// Sums of squares over their degrees of freedom, or the roots of these.
ZEROBEAT_CLONES
void put_degrees_of(double* to, std::size_t count, double degrees, bool roots) {
  if (roots) {
    for (std::size_t w = 0; w < count; ++w) to[w] = std::sqrt(to[w] / degrees);
  } else {
    for (std::size_t w = 0; w < count; ++w) to[w] /= degrees;
  }
}

/// Whether every window has enough readings, and a number.
bool all_there(std::span<const RowRange> windows, std::int64_t least, const double* numbers) {
  const auto needed = static_cast<std::uint32_t>(
      std::min<std::int64_t>(least, std::numeric_limits<std::uint32_t>::max()));
  return have_enough(windows.data(), windows.size(), needed) &&
         are_numbers(numbers, windows.size());
}

class PartTake;

/// How windows come to a statistic: by a faster kernel than its definition, where one was measured
/// to pay, or by one of its own where it has none that merges.
struct WindowWay {
  Stat stat;
  void (PartTake::*numbers)(const StretchedWindows& some, std::size_t first,
                            double* to) const = nullptr;
  /// Counts, places of readings, or exact whole numbers: false when one does not fit.
  bool (PartTake::*whole)(const StretchedWindows& some, std::size_t first,
                          std::int64_t* to) const = nullptr;
  bool is_compact = false;  ///< makes something of each reading of those that it is given
};
const WindowWay& way_of(Stat stat);

/// Whether a kernel makes something of each reading, so that it is better given no more than the
/// windows hold.
bool is_compact(const Take& take, const Timeline& timeline) {
  const Statistic& row = row_of(take.stat);
  if (way_of(take.stat).is_compact || row.needs == Needs::standing || row.needs == Needs::times) {
    return take.stat != Stat::own;
  }
  // Whole numbers are made numbers.
  const auto is_whole = [&](const std::string& name) {
    return !name.empty() && timeline.values().column(name).type() == Column::Type::integer;
  };
  return is_whole(take.column) || is_whole(take.with);
}

/// Writes one take of a part.
class PartTake {
 public:
  PartTake(const WindowTake& take, PartWindows& part, std::size_t p, WindowColumn& out)
      : own_(take),
        take_(take.take),
        statistic_(row_of(take.take.stat)),
        part_(part),
        p_(p),
        out_(out),
        row_(part.first_row()),
        readings_(take.take.of_records ? nullptr
                                       : &part.readings(take.take.column, take.take.with,
                                                        is_compact(take.take, take.timeline))) {}

  bool operator()() {
    if (take_.of_records) {
      const auto rows = part_.rows();
      std::int64_t* const to = out_.integers(row_);
      for (std::size_t w = 0; w < rows.size(); ++w) to[w] = rows[w].end - rows[w].begin;
      out_.mark(p_, row_, rows.size(), [](std::size_t) { return true; });
      return true;
    }
    if (statistic_.result == Result::count) return put_counts(), true;
    if (is_pick(statistic_)) return put_picks(), true;
    if (statistic_.needs == Needs::standing) return put_standing(), true;
    if (out_.kind() == Kind::integers) return put_integers();
    put_numbers();
    return true;
  }

  // Counts.

  bool put_count(const StretchedWindows& some, std::size_t first, std::int64_t* to) const {
    for (std::size_t w = 0; w < some.windows.size(); ++w) to[w] = count(first + w);
    return true;
  }
  bool put_missing(const StretchedWindows& some, std::size_t first, std::int64_t* to) const {
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      const RowRange& rows = part_.rows()[first + w];
      to[w] = rows.end - rows.begin - count(first + w);
    }
    return true;
  }
  bool put_distinct(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_distinct(codes(), some.windows, to);
    return true;
  }
  bool put_changes(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_changes(readings_->numbers, change_counted(take_.stat), some.windows, to);
    return true;
  }

  // Places of readings.

  bool put_mode(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_mode_place(codes(), some.windows, to);
    return true;
  }
  bool put_least_place(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_least_place(readings_->numbers, some, to);
    return true;
  }
  bool put_greatest_place(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_greatest_place(readings_->numbers, some, to);
    return true;
  }
  bool put_first(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    for (std::size_t w = 0; w < some.windows.size(); ++w) to[w] = some.windows[w].begin;
    return true;
  }
  bool put_last(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      to[w] = std::int64_t{some.windows[w].end} - 1;
    }
    return true;
  }

  // Whole numbers, exactly.

  bool put_whole_sums(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    return window_sums(whole_, some.windows, to);
  }
  bool put_whole_least(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_least(whole_, some, to);
    return true;
  }
  bool put_whole_greatest(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    window_greatest(whole_, some, to);
    return true;
  }
  bool put_whole_ranges(const StretchedWindows& some, std::size_t, std::int64_t* to) const {
    Buffer<std::int64_t> least(some.windows.size());
    window_least(whole_, some, least.data());
    window_greatest(whole_, some, to);
    bool fits = true;
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      if (some.windows[w].begin >= some.windows[w].end) continue;
      fits &= !__builtin_sub_overflow(to[w], least[w], &to[w]);
    }
    return fits;
  }

  // Numbers.

  void put_sums(const StretchedWindows& some, std::size_t, double* to) const {
    window_sums(readings_->numbers, some, to);
  }
  void put_means(const StretchedWindows& some, std::size_t, double* to) const {
    window_means(readings_->numbers, some, to);
  }
  void put_least(const StretchedWindows& some, std::size_t, double* to) const {
    window_least(readings_->numbers, some, to);
  }
  void put_greatest(const StretchedWindows& some, std::size_t, double* to) const {
    window_greatest(readings_->numbers, some, to);
  }
  void put_ranks(const StretchedWindows& some, std::size_t first, double* to) const {
    const auto own = own_readings(some.windows.size(), first);
    window_ranks(codes(), some.windows, own, to);
    for (std::size_t w = 0; w < some.windows.size(); ++w) to[w] = own[w] < 0 ? no_value : to[w];
  }
  void put_medians(const StretchedWindows& some, std::size_t, double* to) const {
    window_quantiles(readings_->numbers, some.windows, 0.5, to);
  }
  void put_quantiles(const StretchedWindows& some, std::size_t, double* to) const {
    window_quantiles(readings_->numbers, some.windows, take_.share, to);
  }
  void put_median_deviations(const StretchedWindows& some, std::size_t, double* to) const {
    std::size_t hint = 0;
    over_sorted_windows(readings_->numbers, {}, 0, some.windows,
                        [&](std::size_t w, std::size_t n, const auto& at) {
                          if (n > 0) to[w] = median_spread_at(n, at, hint).deviation;
                        });
  }

  /// By the definition, where no faster kernel stands beside it.
  template <typename D>
  void put_merged(const StretchedWindows& some, std::size_t, double* to) const {
    using State = typename D::State;
    const auto x = readings_->numbers;
    Buffer<Instant> room;
    const auto times = D::row.needs == Needs::times ? part_.times_of(*readings_, room)
                                                    : std::span<const Instant>();
    // Of two variables, with the reading's time in seconds from the first.
    const auto state_of = [&](std::size_t i) {
      if constexpr (D::row.needs == Needs::times) {
        return State::of(x[i], seconds_between(times[0], times[i]));
      } else {
        return State::of(x[i]);
      }
    };
    merged_both_ways<State>(some, state_of, [&](std::size_t w, const State& state) {
      if (some.count(w) > 0) to[w] = D::value(state, some.count(w));
    });
  }

  void put_variances(const StretchedWindows& some, std::size_t, double* to) const {
    put_degrees(some, false, to);
  }
  void put_deviations(const StretchedWindows& some, std::size_t, double* to) const {
    put_degrees(some, true, to);
  }

  void put_scores(const StretchedWindows& some, std::size_t first, double* to) const {
    Buffer<double> means(some.windows.size());
    window_moments(readings_->numbers, some, means.data(), to);
    const auto own = own_readings(some.windows.size(), first);
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      const double n = some.windows[w].end - some.windows[w].begin;
      const bool there = own[w] >= 0 && n > 1 && to[w] > 0;
      to[w] = there ? (readings_->numbers[static_cast<std::size_t>(own[w])] - means[w]) /
                          std::sqrt(to[w] / (n - 1))
                    : no_value;
    }
  }

  template <typename D>
  void put_products(const StretchedWindows& some, std::size_t, double* to) const {
    window_products(readings_->numbers, readings_->others, some,
                    [&](std::size_t w, const CoMoments& moments, double n) {
                      to[w] = D::value({.count = n,
                                        .squares_x = moments.squares_x,
                                        .squares_y = moments.squares_y,
                                        .products = moments.products},
                                       n);
                    });
  }

  /// Readings with a weight of nothing, or a negative one, do not count.
  void put_weighted(const StretchedWindows& some, std::size_t, double* to) const {
    const auto x = readings_->numbers, weights = readings_->others;
    Buffer<double> products(x.size()), kept(x.size()), sums(some.windows.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
      const WeightedSums weighted_sums = WeightedSums::of(x[i], weights[i]);
      products[i] = weighted_sums.products.sum;
      kept[i] = weighted_sums.weights.sum;
    }
    window_sums(products.span(), some, to);
    window_sums(kept.span(), some, sums.data());
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      to[w] = definition::WeightedMean::value(
          {CompensatedSum::of(to[w]), CompensatedSum::of(sums[w])}, 0);
    }
  }

  void put_own(const StretchedWindows& some, std::size_t, double* to) const {
    Buffer<Instant> room;
    const auto times = part_.times_of(*readings_, room);
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      const std::size_t from = some.windows[w].begin,
                        n = some.windows[w].end - some.windows[w].begin;
      const bool enough = static_cast<std::int64_t>(n) >= std::max<std::int64_t>(1, own_.least);
      to[w] = enough
                  ? (*take_.function)(times.subspan(from, n), readings_->numbers.subspan(from, n))
                  : no_value;
    }
  }

 private:
  std::span<const RowRange> windows() const { return readings_->windows(); }
  std::int64_t count(std::size_t w) const {
    return static_cast<std::int64_t>(readings_->dense.count(w));
  }
  const Column& column() const { return own_.timeline.values().column(take_.column); }

  /// Calls kernel(windows, first) for windows that move ahead only.
  template <typename KernelCall>
  void over_runs(KernelCall&& kernel) const {
    for (std::size_t r = 0; r < part_.runs().size(); ++r) {
      const RowStretch& run = part_.runs()[r];
      kernel(StretchedWindows{windows().subspan(run.begin, run.size()), readings_->stretches[r]},
             run.begin);
    }
  }

  /// Of nothing there is a count of 0, but no rise or fall.
  void mark_counts() {
    const bool compares = statistic_.needs == Needs::before;
    const std::int64_t least = compares ? own_.least : own_.least_for_counts;
    out_.mark(p_, row_, windows().size(), [&](std::size_t w) { return count(w) >= least; });
  }

  void put_whole(std::int64_t* to, bool& fits) {
    const auto kernel = way_of(take_.stat).whole;
    if (kernel == nullptr) throw std::logic_error("a statistic of windows has no kernel");
    over_runs(
        [&](auto some, std::size_t first) { fits &= (this->*kernel)(some, first, to + first); });
  }

  void put_counts() {
    bool fits = true;
    put_whole(out_.integers(row_), fits);
    mark_counts();
  }

  const ReadingCodes& codes() const {
    if (codes_) return *codes_;
    std::vector<std::uint32_t> rows(readings_->dense.size());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      rows[i] = static_cast<std::uint32_t>(part_.strand().begin + readings_->dense.row(i));
    }
    return codes_.emplace(codes_of(column(), rows));
  }

  void put_picks() {
    std::int64_t* const to = out_.integers(row_);
    bool fits = true;
    put_whole(to, fits);
    for (std::size_t w = 0; w < windows().size(); ++w) {
      if (count(w) == 0) continue;
      to[w] = static_cast<std::int64_t>(part_.strand().begin +
                                        readings_->dense.row(static_cast<std::size_t>(to[w])));
    }
    out_.mark(p_, row_, windows().size(), [&](std::size_t w) { return count(w) >= own_.least; });
  }

  void put_standing() {
    Buffer<Instant> room;
    const auto edges = part_.edges();
    const StandingReadings standing{.times = part_.times_of(*readings_, room),
                                    .windows = windows(),
                                    .edges = edges,
                                    .last_stands = own_.last_stands};
    std::vector<Stood> stood(windows().size());
    std::vector<std::int64_t> meets;
    const bool by_condition = statistic_.form == TakeForm::condition;
    if (by_condition) {
      const auto rows = rows_that_meet(column(), take_.condition);
      for (std::size_t i = 0; i < readings_->dense.size(); ++i) {
        meets.push_back(rows[part_.strand().begin + readings_->dense.row(i)]);
      }
    }
    over_runs([&](auto some, std::size_t first) {
      StandingReadings run = standing;
      run.windows = some.windows;
      run.edges = std::span(edges).subspan(first, some.windows.size());
      const auto to = std::span(stood).subspan(first, some.windows.size());
      if (by_condition) {
        condition_in_windows(run, meets, to);
      } else {
        stood_in_windows(run, readings_->numbers, take_.joining, to);
      }
    });
    double* const to = out_.numbers(row_);
    const StoodValue value = stood_value(take_.stat);
    for (std::size_t w = 0; w < stood.size(); ++w) to[w] = value(stood[w], 0);
    out_.mark(p_, row_, windows().size(), [&](std::size_t w) {
      const std::int64_t readings = count(w) + (standing.stands_into(w) ? 1 : 0);
      return stood[w].seconds > 0 && readings >= own_.least && !std::isnan(to[w]);
    });
  }

  bool put_integers() {
    Buffer<std::int64_t> room;
    const auto& strand = part_.strand();
    whole_ = readings_->dense.of(column().integers().subspan(strand.begin, strand.size()), room);
    bool fits = true;
    put_whole(out_.integers(row_), fits);
    out_.mark(p_, row_, windows().size(), [&](std::size_t w) { return count(w) >= own_.least; });
    return fits;
  }

  void put_numbers() {
    double* const to = out_.numbers(row_);
    const auto kernel = way_of(take_.stat).numbers;
    if (kernel == nullptr) throw std::logic_error("a statistic of windows has no kernel");
    over_runs([&](auto some, std::size_t first) { (this->*kernel)(some, first, to + first); });
    const std::int64_t least = std::max(own_.least, statistic_.least);
    if (all_there(windows(), least, to)) return out_.mark_all(p_);
    out_.mark(p_, row_, windows().size(),
              [&](std::size_t w) { return (count(w) >= least) & !std::isnan(to[w]); });
  }

  /// Variances, or their roots.
  void put_degrees(const StretchedWindows& some, bool roots, double* to) const {
    window_moments(readings_->numbers, some, nullptr, to);
    // Windows of one length go together: divisions and roots side by side.
    const std::size_t size = some.windows.size();
    for (std::size_t from = 0; from < size;) {
      const std::uint32_t count = some.count(from);
      std::size_t until = from + 1;
      while (until < size && some.count(until) == count) ++until;
      if (until - from < 16 && count < (std::uint32_t{1} << 31)) {
        // Of other lengths all the time: a block of them.
        until = std::min(size, from + 64);
        const RowRange* const windows = some.windows.data();
        for (std::size_t w = from; w < until; ++w) {
          to[w] /= static_cast<std::int32_t>(windows[w].end - windows[w].begin) - 1.0;
        }
        if (roots) {
          for (std::size_t w = from; w < until; ++w) to[w] = std::sqrt(to[w]);
        }
        from = until;
        continue;
      }
      const double degrees = static_cast<double>(count) - 1;
      put_degrees_of(to + from, until - from, degrees, roots);
      from = until;
    }
  }

  /// The reading of each window's own row; -1 when it is not there.
  std::vector<std::int64_t> own_readings(std::size_t windows, std::size_t first) const {
    std::vector<std::int64_t> own(windows, -1);
    const std::size_t row = part_.first_row() - part_.strand().begin + first;
    for (std::size_t w = 0; w < windows; ++w) {
      own[w] = column().valid(part_.strand().begin + row + w) ? readings_->dense.reading_of(row + w)
                                                              : -1;
    }
    return own;
  }

  const WindowTake& own_;
  const Take& take_;
  const Statistic& statistic_;
  PartWindows& part_;
  std::size_t p_;
  WindowColumn& out_;
  std::size_t row_;
  const WindowReadings* readings_;
  mutable std::optional<ReadingCodes> codes_{};  // made when first asked for
  std::span<const std::int64_t> whole_{};
};

constexpr WindowWay ways[] = {
    {Stat::count, nullptr, &PartTake::put_count},
    {Stat::missing, nullptr, &PartTake::put_missing},
    {Stat::distinct, nullptr, &PartTake::put_distinct, true},
    {Stat::up, nullptr, &PartTake::put_changes},
    {Stat::down, nullptr, &PartTake::put_changes},
    {Stat::first, nullptr, &PartTake::put_first},
    {Stat::last, nullptr, &PartTake::put_last},
    {Stat::first_time, nullptr, &PartTake::put_first},
    {Stat::last_time, nullptr, &PartTake::put_last},
    {Stat::mode, nullptr, &PartTake::put_mode, true},
    {Stat::time_of_min, nullptr, &PartTake::put_least_place},
    {Stat::time_of_max, nullptr, &PartTake::put_greatest_place},
    {Stat::sum, &PartTake::put_sums, &PartTake::put_whole_sums},
    {Stat::mean, &PartTake::put_means},
    {Stat::min, &PartTake::put_least, &PartTake::put_whole_least},
    {Stat::max, &PartTake::put_greatest, &PartTake::put_whole_greatest},
    {Stat::range, &PartTake::put_merged<definition::Range>, &PartTake::put_whole_ranges},
    {Stat::var, &PartTake::put_variances},
    {Stat::std, &PartTake::put_deviations},
    {Stat::zscore, &PartTake::put_scores},
    {Stat::rank, &PartTake::put_ranks, nullptr, true},
    {Stat::median, &PartTake::put_medians},
    {Stat::quantile, &PartTake::put_quantiles},
    {Stat::mad, &PartTake::put_median_deviations},
    {Stat::corr, &PartTake::put_products<definition::Correlation>},
    {Stat::cov, &PartTake::put_products<definition::Covariance>},
    {Stat::wmean, &PartTake::put_weighted, nullptr, true},
    {Stat::own, &PartTake::put_own},
};

/// The way of each statistic: its own, else by its definition.
const WindowWay& way_of(Stat stat) {
  static constexpr auto all = for_each_statistic<WindowWay>([]<typename D>(D) {
    const Stat statistic = stat_of<D>();
    for (const WindowWay& way : ways) {
      if (way.stat == statistic) return way;
    }
    WindowWay way{statistic};
    constexpr bool by_numbers = D::row.needs == Needs::readings || D::row.needs == Needs::times;
    if constexpr (Merging<D> && by_numbers) way.numbers = &PartTake::put_merged<D>;
    return way;
  });
  return all[static_cast<std::size_t>(stat)];
}

}  // namespace

WindowColumn::Kind kind_of(const Take& take, const Table& values, bool as_numbers) {
  const Statistic& row = row_of(take.stat);
  if (take.of_records || row.result == Result::count) return Kind::integers;
  if (is_pick(row)) return Kind::rows;
  const bool whole = values.column(take.column).type() == Column::Type::integer;
  return whole && row.result == Result::exact && !as_numbers ? Kind::integers : Kind::numbers;
}

bool take_windows(const WindowTake& take, PartWindows& part, std::size_t p, WindowColumn& out) {
  return PartTake(take, part, p, out)();
}

}  // namespace zerobeat::detail
