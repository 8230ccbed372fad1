#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <functional>
#include <limits>
#include <optional>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>
#include <zerobeat/window/lag.hpp>

#include "base/parallel.hpp"
#include "base/wide.hpp"
#include "kernel/counters.hpp"
#include "kernel/window/column.hpp"
#include "kernel/window/parts.hpp"
#include "time/forward_shift.hpp"
#include "time/wide_instant.hpp"
#include "window/change.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::WindowColumn;
using detail::WindowPart;

constexpr Stat increase = detail::stat_of<detail::definition::Increase>();

void check(const Timeline& timeline, const Lag& options, const std::vector<Take>& takes) {
  if (options.by.empty())
    fail_usage("‹by›: a lag needs a distance: a number of records, or a period");
  for (const Extent& by : options.by.all) {
    if (by.in_rows() ? by.rows < 1 : by.period.is_zero()) {
      fail_usage("‹by› {}: a lag is at least 1 record, or a period longer than zero", to_text(by));
    }
    check_on_axis(timeline.axis(), by, "‹by›");
  }
  if (options.tolerance) {
    check_on_axis(timeline.axis(), *options.tolerance, "‹tolerance›");
    const bool rows = std::ranges::any_of(options.by.all, &Extent::in_rows);
    if (rows) {
      fail_usage("‹tolerance› {}: it goes with ‹by› a period, not so many records",
                 to_text(*options.tolerance));
    }
  }
  constexpr std::int64_t highest = 60;  // of which every factor still is a whole number of 64 bits
  if (options.order < 1 || options.order > highest) {
    fail_usage("‹order› {}: from 1 to {}", options.order, highest);
  }
  const bool any_diff =
      std::ranges::any_of(takes, [](const Take& take) { return take.stat == Stat::diff; });
  if (options.order != 1 && !any_diff) {
    fail_usage("‹order› {}: it is of diff(x), which is not among the takes", options.order);
  }
}

/// How far off a reading may be from where it should be.
struct Farthest {
  std::optional<Period> tolerance{};
  std::int64_t typical_step = 0;  ///< of the strand, in nanoseconds; 0: it has none
};

/// Finds, for rows in order, the row that stands against each; -1 where there is none.
class OtherRows {
 public:
  OtherRows(const Timeline& timeline, const Column& column, const Strand& strand, const Extent& by,
            bool ahead, const Farthest& farthest)
      : timeline_(timeline),
        column_(column),
        strand_(strand),
        times_(timeline.times()),
        by_(by),
        ahead_(ahead),
        farthest_(farthest) {}

  /// How many were further off than a typical step.
  std::int64_t far_off() const { return far_off_; }

  /// Of the rows of a part; those by a period move on from each other.
  void find(std::size_t from, std::size_t until, std::int64_t distance, std::int64_t* out) {
    if (by_.in_rows()) {
      by_rows(from, until, distance, out);
    } else {
      by_period(from, until, distance, out);
    }
  }

 private:
  void by_rows(std::size_t from, std::size_t until, std::int64_t distance,
               std::int64_t* out) const {
    const auto size = static_cast<Wide>(strand_.size());
    const Wide by = Wide(by_.rows) * distance;
    for (std::size_t i = from; i < until; ++i) {
      const Wide place = static_cast<Wide>(i - strand_.begin) + (ahead_ ? by : -by);
      out[i - from] = place < 0 || place >= size ? -1
                                                 : static_cast<std::int64_t>(place) +
                                                       static_cast<std::int64_t>(strand_.begin);
    }
  }

  Instant target_of(std::size_t row, std::int64_t distance) const {
    const std::int64_t times = ahead_ ? distance : -distance;
    if (by_.period.is_fixed()) {
      return detail::bounded_instant(Wide(nanoseconds_of(times_[row])) +
                                     Wide(by_.period.nanoseconds.count()) * times);
    }
    return detail::shift_forward(times_[row], by_.period, times, timeline_.zone());
  }

  /// Whether a target lies beyond all instants, where no reading can be.
  bool is_out(std::size_t row, Instant target, std::int64_t distance) const {
    if (target != Instant::min() && target != Instant::max()) return false;
    if (!by_.period.is_fixed()) return true;
    const Wide at = Wide(nanoseconds_of(times_[row])) +
                    Wide(by_.period.nanoseconds.count()) * (ahead_ ? distance : -distance);
    return at != nanoseconds_of(target);
  }

  /// Back: the last reading at or before; ahead: the first at or after. Targets nearly always
  /// ascend; where clocks change they may go back.
  void by_period(std::size_t from, std::size_t until, std::int64_t distance, std::int64_t* out) {
    // `at` is the first row after the target (back), or the first that is not before it (ahead).
    std::size_t at = first_beyond(target_of(from, distance));
    std::int64_t found = nearest(at);
    for (std::size_t i = from; i < until; ++i) {
      const Instant target = target_of(i, distance);
      const std::size_t was = at;
      for (; at < strand_.end && !is_beyond(at, target); ++at) {
        if (!ahead_ && column_.valid(at)) found = static_cast<std::int64_t>(at);
      }
      while (at > strand_.begin && is_beyond(at - 1, target)) --at;
      const bool passed = ahead_ && found >= 0 && found < static_cast<std::int64_t>(at);
      if (at < was || passed) found = nearest(at);
      out[i - from] = is_out(i, target, distance) || is_too_far(target, found) ? -1 : found;
    }
  }

  /// Whether what was found is further off than it may be; what is further off than a typical step
  /// is counted.
  bool is_too_far(Instant target, std::int64_t found) {
    if (found < 0) return false;
    const Instant t = times_[static_cast<std::size_t>(found)];
    const Instant from = ahead_ ? target : t, to = ahead_ ? t : target;
    if (farthest_.tolerance) {
      return shift(from, *farthest_.tolerance, 1, timeline_.zone()) < to;
    }
    const Wide off = Wide(nanoseconds_of(to)) - nanoseconds_of(from);
    far_off_ += farthest_.typical_step > 0 && off > farthest_.typical_step;
    return false;
  }

  bool is_beyond(std::size_t row, Instant target) const {
    return ahead_ ? times_[row] >= target : times_[row] > target;
  }
  std::size_t first_beyond(Instant target) const {
    const auto begin = times_.begin() + static_cast<std::ptrdiff_t>(strand_.begin);
    const auto end = times_.begin() + static_cast<std::ptrdiff_t>(strand_.end);
    const auto at =
        ahead_ ? std::lower_bound(begin, end, target) : std::upper_bound(begin, end, target);
    return static_cast<std::size_t>(at - times_.begin());
  }
  std::int64_t nearest(std::size_t at) const {
    if (ahead_) {
      while (at < strand_.end && !column_.valid(at)) ++at;
      return at < strand_.end ? static_cast<std::int64_t>(at) : -1;
    }
    while (at > strand_.begin && !column_.valid(at - 1)) --at;
    return at > strand_.begin ? static_cast<std::int64_t>(at - 1) : -1;
  }

  const Timeline& timeline_;
  const Column& column_;
  const Strand& strand_;
  std::span<const Instant> times_;
  Extent by_;
  bool ahead_;
  Farthest farthest_;
  std::int64_t far_off_ = 0;
};

/// The factors of a difference of that order: 1, -2, 1.
std::vector<std::int64_t> factors_of(std::int64_t order) {
  std::vector<std::int64_t> factors{1};
  for (std::int64_t n = 0; n < order; ++n) {
    factors.push_back(0);
    for (std::size_t k = factors.size() - 1; k > 0; --k) factors[k] -= factors[k - 1];
  }
  return factors;
}

/// One take by one distance.
class LagTake {
 public:
  LagTake(const Timeline& timeline, const Take& take, const Extent& by, const Lag& options,
          std::span<const std::int64_t> typical_steps)
      : timeline_(timeline),
        take_(take),
        by_(by),
        tolerance_(options.tolerance),
        typical_steps_(typical_steps),
        factors_(take.stat == Stat::diff ? factors_of(options.order) : std::vector<std::int64_t>{}),
        column_(timeline.values().column(take.column)),
        parts_(detail::window_parts(timeline, {})),
        change_(detail::change_of(take.stat)) {}

  /// How many readings, without a tolerance, are more than a typical step off.
  std::int64_t far_off() const { return far_off_; }

  Column operator()() {
    const bool beside = by_.in_rows() && column_.validity().all();
    if (take_.stat == Stat::lag || take_.stat == Stat::lead) {
      if (beside && column_.type() == Column::Type::number) {
        return Column::numbers(shifted(column_.numbers()), open_ends());
      }
      if (beside && column_.type() == Column::Type::integer) {
        return Column::integers(shifted(column_.integers()), open_ends());
      }
      return moved();
    }
    if (take_.stat == increase) return risen();
    if (take_.stat == Stat::diff && column_.type() == Column::Type::integer) {
      if (auto whole = whole_differences()) return std::move(*whole);
    }
    if (beside && column_.type() == Column::Type::number && factors_.size() <= 2) {
      return changes_beside();
    }
    return changes();
  }

 private:
  static constexpr std::size_t block = 4096;
  static constexpr double no_change = std::numeric_limits<double>::quiet_NaN();

  /// Calls work(rows from, until, other rows) block by block; `distance` times the distance.
  template <typename Work>
  void over_blocks(const WindowPart& part, std::int64_t distances, Work&& work) const {
    const Strand& strand = timeline_.strands()[part.strand];
    const Farthest farthest{tolerance_, typical_steps_.empty() ? 0 : typical_steps_[part.strand]};
    OtherRows others(timeline_, column_, strand, by_, take_.stat == Stat::lead, farthest);
    std::vector<std::int64_t> rows(static_cast<std::size_t>(distances) * block);
    for (std::size_t from = strand.begin + part.from; from < strand.begin + part.until;
         from += block) {
      const std::size_t until = std::min(strand.begin + part.until, from + block);
      for (std::int64_t d = 1; d <= distances; ++d) {
        others.find(from, until, d, rows.data() + static_cast<std::size_t>(d - 1) * block);
      }
      work(from, until, rows.data());
    }
    far_off_ += others.far_off();
  }

  /// What a counter rose by, up to each row of its strand: compensated, so that a difference of
  /// two loses nothing to what was before.
  std::vector<detail::CompensatedSum> totals_of(const Column& numbers) const {
    std::vector<detail::CompensatedSum> totals(timeline_.rows());
    detail::parallel_for(std::size_t{0}, timeline_.strands().size(), [&](std::size_t s) {
      const Strand& strand = timeline_.strands()[s];
      detail::CompensatedSum total;
      std::optional<double> before;
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        if (numbers.valid(row)) {
          const double now = numbers.numbers()[row];
          if (before) total.add(detail::counter_step(*before, now));
          before = now;
        }
        totals[row] = total;
      }
    });
    return totals;
  }

  /// What a counter rose by since the reading at a distance.
  Column risen() const {
    const Column numbers = column_.as_numbers();
    const auto totals = totals_of(numbers);
    WindowColumn out(WindowColumn::Kind::numbers, timeline_.rows(), parts_.size());
    detail::parallel_for(std::size_t{0}, parts_.size(), [&](std::size_t p) {
      const std::size_t first = timeline_.strands()[parts_[p].strand].begin + parts_[p].from;
      double* const to = out.numbers(first);
      over_blocks(parts_[p], 1, [&](std::size_t from, std::size_t until, const std::int64_t* rows) {
        for (std::size_t i = from; i < until; ++i) {
          const std::int64_t row = rows[i - from];
          const bool there =
              row >= 0 && numbers.valid(i) && numbers.valid(static_cast<std::size_t>(row));
          detail::CompensatedSum since = totals[i];
          if (there) {
            const detail::CompensatedSum& before = totals[static_cast<std::size_t>(row)];
            since.merge({-before.sum, -before.rest});
          }
          to[i - first] = there ? since.value() : no_change;
        }
      });
      out.mark(p, first, parts_[p].until - parts_[p].from,
               [&](std::size_t i) { return std::isfinite(to[i]); });
    });
    const Column made = out.take(nullptr);
    return column_.type() == Column::Type::integer ? as_integers(made) : made;
  }

  /// Whole numbers as such, when every one fits exactly.
  static Column as_integers(const Column& numbers) {
    constexpr double most = 9007199254740992;  // 2^53
    Buffer<std::int64_t> whole(numbers.size(), std::int64_t{0});
    for (std::size_t i = 0; i < numbers.size(); ++i) {
      if (!numbers.valid(i)) continue;
      const double x = numbers.numbers()[i];
      if (x != std::floor(x) || std::fabs(x) > most) return numbers;
      whole[i] = static_cast<std::int64_t>(x);
    }
    return Column::integers(std::move(whole), numbers.validity());
  }

  /// How many rows at a strand's end have none beside them.
  std::size_t open_rows(const Strand& strand) const {
    return static_cast<std::size_t>(
        std::min<std::int64_t>(by_.rows, static_cast<std::int64_t>(strand.size())));
  }

  /// The values so many rows before (after), where there are such.
  template <typename Value>
  Buffer<Value> shifted(std::span<const Value> values) const {
    Buffer<Value> out(values.size());
    const bool ahead = take_.stat == Stat::lead;
    detail::parallel_for(std::size_t{0}, parts_.size(), [&](std::size_t p) {
      const Strand& strand = timeline_.strands()[parts_[p].strand];
      const std::size_t open = open_rows(strand);
      const std::size_t from = strand.begin + parts_[p].from;
      const std::size_t until = strand.begin + parts_[p].until;
      // Those that have one stand together.
      const std::size_t first = ahead ? from : std::clamp(strand.begin + open, from, until);
      const std::size_t last = ahead ? std::clamp(strand.end - open, from, until) : until;
      std::fill(out.begin() + from, out.begin() + first, Value{});
      std::fill(out.begin() + last, out.begin() + until, Value{});
      const Value* const source = values.data() + (ahead ? first + open : first - open);
      if (first < last) std::copy(source, source + (last - first), out.begin() + first);
    });
    return out;
  }
  Validity open_ends() const {
    ValidityBuilder validity(timeline_.rows());
    for (const Strand& strand : timeline_.strands()) {
      const std::size_t open = open_rows(strand);
      const std::size_t first = take_.stat == Stat::lead ? strand.end - open : strand.begin;
      for (std::size_t row = first; row < first + open; ++row) validity.set_missing(row);
    }
    return validity.take();
  }

  /// Changes against so many records before, none missing: no rows are looked up.
  template <typename Change>
  Column changes_beside(Change&& change) const {
    const auto values = column_.numbers();
    const auto times = timeline_.times();
    WindowColumn out(WindowColumn::Kind::numbers, timeline_.rows(), parts_.size());
    detail::parallel_for(std::size_t{0}, parts_.size(), [&](std::size_t p) {
      const Strand& strand = timeline_.strands()[parts_[p].strand];
      const std::size_t open = open_rows(strand);
      const std::size_t from = strand.begin + parts_[p].from;
      const std::size_t size = parts_[p].until - parts_[p].from;
      const std::size_t first = std::clamp(strand.begin + open, from, from + size);
      double* const to = out.numbers(from);
      std::fill(to, to + (first - from), no_change);
      for (std::size_t i = first; i < from + size; ++i) {
        to[i - from] = change(values[i], values[i - open], times[i], times[i - open]);
      }
      out.mark(p, from, size, [&](std::size_t i) { return std::isfinite(to[i]); });
    });
    return out.take(nullptr);
  }
  Column changes_beside() const {
    std::optional<Column> made;
    (void)detail::for_each_statistic<bool>([&]<typename D>(D) {
      if constexpr (detail::is_change<D>) {
        if (take_.stat == detail::stat_of<D>()) made = changes_beside_of<D>();
      }
      return true;
    });
    return made.value();
  }
  template <typename D>
  Column changes_beside_of() const {
    return changes_beside([](double now, double then, Instant t, Instant before) {
      return detail::change_of<D>(now, then, before, t);
    });
  }

  Column moved() const {
    WindowColumn out(WindowColumn::Kind::rows, timeline_.rows(), parts_.size());
    detail::parallel_for(std::size_t{0}, parts_.size(), [&](std::size_t p) {
      const std::size_t first = timeline_.strands()[parts_[p].strand].begin + parts_[p].from;
      over_blocks(parts_[p], 1, [&](std::size_t from, std::size_t until, const std::int64_t* rows) {
        std::copy(rows, rows + (until - from), out.integers(from));
      });
      out.mark(p, first, parts_[p].until - parts_[p].from, [](std::size_t) { return true; });
    });
    return out.take(&column_);
  }

  /// The difference of integers, when every one fits.
  std::optional<Column> whole_differences() const {
    const auto values = column_.integers();
    WindowColumn out(WindowColumn::Kind::integers, timeline_.rows(), parts_.size());
    std::vector<std::uint8_t> fits(parts_.size(), 1);
    const std::size_t distances = factors_.size() - 1;
    detail::parallel_for(std::size_t{0}, parts_.size(), [&](std::size_t p) {
      const std::size_t first = timeline_.strands()[parts_[p].strand].begin + parts_[p].from;
      std::vector<std::uint8_t> there(parts_[p].until - parts_[p].from);
      over_blocks(parts_[p], static_cast<std::int64_t>(distances),
                  [&](std::size_t from, std::size_t until, const std::int64_t* rows) {
                    for (std::size_t i = from; i < until; ++i) {
                      bool all = column_.valid(i);
                      Wide sum = all ? Wide(values[i]) : 0;
                      for (std::size_t d = 1; d <= distances; ++d) {
                        const std::int64_t row = rows[(d - 1) * block + (i - from)];
                        all = all && row >= 0 && column_.valid(static_cast<std::size_t>(row));
                        if (!all) break;
                        sum += Wide(factors_[d]) * values[static_cast<std::size_t>(row)];
                      }
                      there[i - first] = all;
                      if (all && !detail::fits_int64(sum)) fits[p] = 0;
                      *out.integers(i) = static_cast<std::int64_t>(sum);
                    }
                  });
      out.mark(p, first, there.size(), [&](std::size_t i) { return there[i] != 0; });
    });
    if (std::ranges::find(fits, 0) != fits.end()) return std::nullopt;
    return out.take(nullptr);
  }

  Column changes() const {
    const Column numbers = column_.as_numbers();
    const auto values = numbers.numbers();
    WindowColumn out(WindowColumn::Kind::numbers, timeline_.rows(), parts_.size());
    const std::size_t distances = factors_.empty() ? 1 : factors_.size() - 1;
    detail::parallel_for(std::size_t{0}, parts_.size(), [&](std::size_t p) {
      const std::size_t first = timeline_.strands()[parts_[p].strand].begin + parts_[p].from;
      const std::size_t size = parts_[p].until - parts_[p].from;
      const bool dense = numbers.validity().all();
      double* const to = out.numbers(first);
      over_blocks(parts_[p], static_cast<std::int64_t>(distances),
                  [&](std::size_t from, std::size_t until, const std::int64_t* rows) {
                    for (std::size_t i = from; i < until; ++i) {
                      const std::int64_t row = rows[i - from];
                      const bool there =
                          row >= 0 && (dense || (numbers.valid(i) &&
                                                 numbers.valid(static_cast<std::size_t>(row))));
                      to[i - first] = !there ? no_change
                                      : distances > 1
                                          ? difference(numbers, i, rows + (i - from))
                                          : change(values[i], values[static_cast<std::size_t>(row)],
                                                   i, static_cast<std::size_t>(row));
                    }
                  });
      out.mark(p, first, size, [&](std::size_t i) { return std::isfinite(to[i]); });
    });
    return out.take(nullptr);
  }

  double difference(const Column& numbers, std::size_t row, const std::int64_t* rows) const {
    double sum = numbers.numbers()[row];
    for (std::size_t d = 1; d < factors_.size(); ++d) {
      const std::int64_t other = rows[(d - 1) * block];
      if (other < 0 || !numbers.valid(static_cast<std::size_t>(other))) return no_change;
      sum += static_cast<double>(factors_[d]) * numbers.numbers()[static_cast<std::size_t>(other)];
    }
    return sum;
  }

  double change(double now, double then, std::size_t row, std::size_t other) const {
    const auto times = timeline_.times();
    return change_(now, then, times[other], times[row]);
  }

  const Timeline& timeline_;
  const Take& take_;
  const Extent& by_;
  std::optional<Period> tolerance_;
  std::span<const std::int64_t> typical_steps_;
  mutable std::atomic<std::int64_t> far_off_ = 0;
  std::vector<std::int64_t> factors_;
  const Column& column_;
  std::vector<WindowPart> parts_;
  detail::ChangeOf change_;  ///< null for what is moved
};

}  // namespace

Timeline lag(const Timeline& timeline, const Lag& options) {
  StepTimer timer(options, timeline);
  const auto takes = resolve_takes(options.take, timeline.values(), Stat::lag, TakenBy::lags, "lag",
                                   timeline.time_name(), timeline.key_name());
  check(timeline, options, takes);
  Timeline::Parts parts = timeline.parts();
  std::vector<std::int64_t> typical_steps;
  if (!options.tolerance && std::ranges::any_of(options.by.all, std::not_fn(&Extent::in_rows))) {
    for (const Strand& strand : timeline.strands()) {
      const auto step = typical_step(timeline.times().subspan(strand.begin, strand.size()));
      typical_steps.push_back(step ? step->count() : 0);
    }
  }
  for (const Take& take : takes) {
    for (const Extent& by : options.by.all) {
      const std::string name =
          options.by.all.size() > 1 ? take.result_name() + "_" + to_text(by) : take.result_name();
      LagTake lag_take(timeline, take, by, options, typical_steps);
      parts.values.add(name, lag_take());
      if (lag_take.far_off() > 0) {
        timer.note(
            fmt::format("{}: {} readings were compared with one that is {} than {} by more than a "
                        "typical step; "
                        "‹tolerance› leaves them out",
                        name, grouped(lag_take.far_off()),
                        take.stat == Stat::lead ? "later" : "older", to_text(by)));
      }
    }
  }
  return timer.finish(std::move(parts));
}

Reach reach(const Lag& options) {
  const bool leads =
      std::ranges::any_of(options.take, [](const Take& take) { return take.stat == Stat::lead; });
  const bool lags = options.take.empty() || std::ranges::any_of(options.take, [](const Take& take) {
                      return take.stat != Stat::lead;
                    });
  // The last reading at or before t - p may lie any way back.
  std::int64_t rows = 0;
  for (const Extent& by : options.by.all) {
    rows = !by.in_rows() || rows < 0 ? -1 : std::max(rows, by.rows);
  }
  const auto side = [&](std::int64_t order) {
    const bool far = rows < 0 || rows > std::numeric_limits<std::int64_t>::max() / order;
    return far ? ReachSide::whole() : ReachSide::of(Extent(rows * order));
  };
  return {lags ? side(std::max<std::int64_t>(1, options.order)) : ReachSide::none(),
          leads ? side(1) : ReachSide::none()};
}

}  // namespace zerobeat
