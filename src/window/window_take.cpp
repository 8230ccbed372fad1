#include "window/window_take.hpp"

#include <cmath>
#include <stdexcept>
#include <vector>

#include "take/merging.hpp"
#include "take/order_statistics.hpp"
#include "take/sorted_windows.hpp"
#include "take/window_kernels.hpp"
#include "take/window_quantiles.hpp"
#include "take/window_sums.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::detail {

namespace {

using Kind = WindowColumn::Kind;

bool is_count(Stat stat) {
  return stat == Stat::count || stat == Stat::missing || stat == Stat::distinct ||
         stat == Stat::up || stat == Stat::down;
}
/// Of one reading of the window, or its time.
bool is_pick(Stat stat) {
  return stat == Stat::first || stat == Stat::last || stat == Stat::mode ||
         stat == Stat::first_time || stat == Stat::last_time || stat == Stat::time_of_min ||
         stat == Stat::time_of_max;
}
bool is_exact(Stat stat) {
  return stat == Stat::sum || stat == Stat::min || stat == Stat::max || stat == Stat::range;
}
bool stands(Stat stat) {
  return stat == Stat::twmean || stat == Stat::integral || stat == Stat::duration;
}

/// Whether every window has enough readings, and a number.
bool all_there(std::span<const RowRange> windows, std::int64_t least, const double* numbers) {
  const std::size_t size = windows.size();
  const auto needed = static_cast<std::uint32_t>(
      std::min<std::int64_t>(least, std::numeric_limits<std::uint32_t>::max()));
  std::uint32_t few = 0, none = 0;
  for (std::size_t w = 0; w < size; ++w) few |= windows[w].end - windows[w].begin < needed;
  for (std::size_t w = 0; w < size; ++w) none |= numbers[w] != numbers[w];
  return (few | none) == 0;
}

/// Whether a kernel makes something of each reading, so that it is better given no more than the
/// windows hold.
bool is_compact(const Take& take, const Timeline& timeline) {
  switch (take.stat) {
    case Stat::distinct:
    case Stat::mode:
    case Stat::rank:
    case Stat::slope:
    case Stat::wmean:
    case Stat::twmean:
    case Stat::integral:
    case Stat::duration:
      return true;
    default:
      break;
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
  PartTake(const WindowTake& own, PartWindows& part, std::size_t p, WindowColumn& out)
      : own_(own),
        take_(own.take),
        part_(part),
        p_(p),
        out_(out),
        row_(part.first_row()),
        readings_(own.take.of_records ? nullptr
                                      : &part.readings(own.take.column, own.take.with,
                                                       is_compact(own.take, own.timeline))) {}

  bool operator()() {
    if (take_.of_records) {
      const auto rows = part_.rows();
      std::int64_t* const to = out_.integers(row_);
      for (std::size_t w = 0; w < rows.size(); ++w) to[w] = rows[w].end - rows[w].begin;
      out_.mark(p_, row_, rows.size(), [](std::size_t) { return true; });
      return true;
    }
    if (is_count(take_.stat)) return put_counts(), true;
    if (is_pick(take_.stat)) return put_picks(), true;
    if (stands(take_.stat)) return put_standing(), true;
    if (out_.kind() == Kind::integers) return put_integers();
    put_numbers();
    return true;
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

  void mark_counts() {
    out_.mark(p_, row_, windows().size(),
              [&](std::size_t w) { return count(w) >= own_.least_for_counts; });
  }

  void put_counts() {
    std::int64_t* const to = out_.integers(row_);
    switch (take_.stat) {
      case Stat::count:
        for (std::size_t w = 0; w < windows().size(); ++w) to[w] = count(w);
        break;
      case Stat::missing:
        for (std::size_t w = 0; w < windows().size(); ++w) {
          to[w] = part_.rows()[w].end - part_.rows()[w].begin - count(w);
        }
        break;
      case Stat::distinct: {
        const ReadingCodes codes = codes_of_readings();
        over_runs([&](auto some, std::size_t first) {
          window_distinct(codes, some.windows, to + first);
        });
        break;
      }
      default:
        over_runs([&](auto some, std::size_t first) {
          window_changes(readings_->numbers, take_.stat == Stat::up, some.windows, to + first);
        });
    }
    mark_counts();
  }

  ReadingCodes codes_of_readings() const {
    std::vector<std::uint32_t> rows(readings_->dense.size());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      rows[i] = static_cast<std::uint32_t>(part_.strand().begin + readings_->dense.row(i));
    }
    return codes_of(column(), rows);
  }

  void put_picks() {
    std::int64_t* const to = out_.integers(row_);
    const Stat stat = take_.stat;
    if (stat == Stat::mode) {
      const ReadingCodes codes = codes_of_readings();
      over_runs([&](auto some, std::size_t first) {
        window_mode_place(codes, some.windows, to + first);
      });
    } else if (stat == Stat::time_of_min) {
      over_runs([&](auto some, std::size_t first) {
        window_least_place(readings_->numbers, some, to + first);
      });
    } else if (stat == Stat::time_of_max) {
      over_runs([&](auto some, std::size_t first) {
        window_greatest_place(readings_->numbers, some, to + first);
      });
    } else {
      const bool last = stat == Stat::last || stat == Stat::last_time;
      for (std::size_t w = 0; w < windows().size(); ++w) {
        to[w] = last ? std::int64_t{windows()[w].end} - 1 : std::int64_t{windows()[w].begin};
      }
    }
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
    if (take_.stat == Stat::duration) {
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
      if (take_.stat == Stat::duration) {
        condition_in_windows(run, meets, to);
      } else {
        stood_in_windows(run, readings_->numbers, take_.joining, to);
      }
    });
    double* const to = out_.numbers(row_);
    for (std::size_t w = 0; w < stood.size(); ++w) {
      to[w] = take_.stat == Stat::twmean ? stood[w].area / stood[w].seconds : stood[w].area;
    }
    out_.mark(p_, row_, windows().size(), [&](std::size_t w) {
      const std::int64_t readings = count(w) + (standing.stands_into(w) ? 1 : 0);
      return stood[w].seconds > 0 && readings >= own_.least && !std::isnan(to[w]);
    });
  }

  bool put_integers() {
    std::int64_t* const to = out_.integers(row_);
    Buffer<std::int64_t> room;
    const auto& strand = part_.strand();
    const auto readings =
        readings_->dense.of(column().integers().subspan(strand.begin, strand.size()), room);
    bool fits = true;
    over_runs([&](auto some, std::size_t first) {
      switch (take_.stat) {
        case Stat::sum:
          fits &= window_sums(readings, some.windows, to + first);
          break;
        case Stat::min:
          window_least(readings, some, to + first);
          break;
        case Stat::max:
          window_greatest(readings, some, to + first);
          break;
        default: {
          Buffer<std::int64_t> least(some.windows.size());
          window_least(readings, some, least.data());
          window_greatest(readings, some, to + first);
          for (std::size_t w = 0; w < some.windows.size(); ++w) {
            if (some.windows[w].begin >= some.windows[w].end) continue;
            fits &= !__builtin_sub_overflow(to[first + w], least[w], &to[first + w]);
          }
        }
      }
    });
    out_.mark(p_, row_, windows().size(), [&](std::size_t w) { return count(w) >= own_.least; });
    return fits;
  }

  void put_numbers() {
    double* const to = out_.numbers(row_);
    over_runs([&](auto some, std::size_t first) { put_run(some, first, to + first); });
    const std::int64_t least = std::max(own_.least, least_readings(take_.stat));
    if (all_there(windows(), least, to)) return out_.mark_all(p_);
    out_.mark(p_, row_, windows().size(),
              [&](std::size_t w) { return (count(w) >= least) & !std::isnan(to[w]); });
  }

  void put_run(const StretchedWindows& some, std::size_t first, double* to) {
    const auto x = readings_->numbers;
    switch (take_.stat) {
      case Stat::sum:
        return window_sums(x, some, to);
      case Stat::mean:
        return window_means(x, some, to);
      case Stat::min:
        return window_least(x, some, to);
      case Stat::max:
        return window_greatest(x, some, to);
      case Stat::var:
      case Stat::std:
        return put_variances(some, to);
      case Stat::zscore:
        return put_scores(some, first, to);
      case Stat::rank: {
        const auto own = own_readings(some.windows.size(), first);
        const ReadingCodes codes = codes_of_readings();
        window_ranks(codes, some.windows, own, to);
        for (std::size_t w = 0; w < some.windows.size(); ++w) to[w] = own[w] < 0 ? no_value : to[w];
        return;
      }
      case Stat::median:
        return window_quantiles(x, some.windows, 0.5, to);
      case Stat::quantile:
        return window_quantiles(x, some.windows, take_.share, to);
      case Stat::mad: {
        std::size_t hint = 0;
        return over_sorted_windows(x, {}, 0, some.windows,
                                   [&](std::size_t w, std::size_t n, const auto& at) {
                                     if (n > 0) to[w] = median_spread_at(n, at, hint).deviation;
                                   });
      }
      case Stat::corr:
      case Stat::cov:
        return put_products(some, to);
      case Stat::wmean:
        return put_weighted(some, to);
      case Stat::own:
        return put_own(some, to);
      default:
        put_merged(some, to);
    }
  }

  /// By the definition, where no faster kernel stands beside it.
  void put_merged(const StretchedWindows& some, double* to) const {
    const auto x = readings_->numbers;
    Buffer<Instant> room;
    const auto times = part_.times_of(*readings_, room);
    const bool known = with_merging(take_.stat, [&](auto row) {
      using Row = decltype(row);
      using State = typename Row::State;
      // Of two variables, with the reading's time in seconds from the first.
      const auto state_of = [&](std::size_t i) {
        if constexpr (requires { State::of(0.0, 0.0); }) {
          return State::of(x[i], seconds_between(times[0], times[i]));
        } else {
          return State::of(x[i]);
        }
      };
      merged_both_ways<State>(some, state_of, [&](std::size_t w, const State& own) {
        if (some.count(w) > 0) to[w] = Row::value(own, some.count(w));
      });
    });
    if (!known) throw std::logic_error("a statistic of windows has no kernel");
  }

  void put_variances(const StretchedWindows& some, double* to) const {
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
        if (take_.stat == Stat::std) {
          for (std::size_t w = from; w < until; ++w) to[w] = std::sqrt(to[w]);
        }
        from = until;
        continue;
      }
      const double degrees = static_cast<double>(count) - 1;
      if (take_.stat == Stat::std) {
        for (std::size_t w = from; w < until; ++w) to[w] = std::sqrt(to[w] / degrees);
      } else {
        for (std::size_t w = from; w < until; ++w) to[w] /= degrees;
      }
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

  void put_products(const StretchedWindows& some, double* to) const {
    const bool covariance = take_.stat == Stat::cov;
    window_products(readings_->numbers, readings_->others, some,
                    [&](std::size_t w, const CoMoments& own, double n) {
                      if (covariance) {
                        to[w] = own.products / (n - 1);
                        return;
                      }
                      const double scale = std::sqrt(own.squares_x) * std::sqrt(own.squares_y);
                      to[w] = scale > 0 ? std::clamp(own.products / scale, -1.0, 1.0) : no_value;
                    });
  }

  /// Readings with a weight of nothing, or a negative one, do not count.
  void put_weighted(const StretchedWindows& some, double* to) const {
    const auto x = readings_->numbers, weights = readings_->others;
    Buffer<double> products(x.size()), kept(x.size()), sums(some.windows.size());
    for (std::size_t i = 0; i < x.size(); ++i) {
      kept[i] = weights[i] > 0 ? weights[i] : 0;
      products[i] = weights[i] > 0 ? weights[i] * x[i] : 0;
    }
    window_sums(products.span(), some, to);
    window_sums(kept.span(), some, sums.data());
    for (std::size_t w = 0; w < some.windows.size(); ++w) {
      to[w] = sums[w] > 0 ? to[w] / sums[w] : no_value;
    }
  }

  void put_own(const StretchedWindows& some, double* to) const {
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

  const WindowTake& own_;
  const Take& take_;
  PartWindows& part_;
  std::size_t p_;
  WindowColumn& out_;
  std::size_t row_;
  const WindowReadings* readings_;
};

}  // namespace

WindowColumn::Kind kind_of(const Take& take, const Table& values, bool as_numbers) {
  if (take.of_records || is_count(take.stat)) return Kind::integers;
  if (is_pick(take.stat)) return Kind::rows;
  const bool whole = values.column(take.column).type() == Column::Type::integer;
  return whole && is_exact(take.stat) && !as_numbers ? Kind::integers : Kind::numbers;
}

std::int64_t least_readings(Stat stat) {
  std::int64_t least = stat == Stat::corr || stat == Stat::cov || stat == Stat::zscore ? 2 : 1;
  with_merging(stat, [&](auto row) { least = row.least; });
  return least;
}

bool take_windows(const WindowTake& own, PartWindows& part, std::size_t p, WindowColumn& out) {
  return PartTake(own, part, p, out)();
}

}  // namespace zerobeat::detail
