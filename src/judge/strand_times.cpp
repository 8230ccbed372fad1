#include "judge/strand_times.hpp"

#include <tbb/blocked_range.h>

#include <algorithm>
#include <cmath>

#include "base/clones.hpp"
#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::int64_t median_of(std::vector<std::int64_t>& values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Of some of the steps in [begin, end): the median, and whether most are within a tenth of it.
struct Pace {
  std::int64_t step = 0;
  bool regular = false;
};
Pace pace_of(std::span<const Instant> sorted, std::size_t begin, std::size_t end) {
  constexpr std::size_t most = 64;
  std::vector<std::int64_t> steps;
  const std::size_t stride = std::max<std::size_t>(1, (end - begin) / most);
  for (std::size_t i = std::max<std::size_t>(begin, 1); i < end; i += stride) {
    if (const std::int64_t step = nanoseconds_between(sorted[i - 1], sorted[i]); step > 0) {
      steps.push_back(step);
    }
  }
  if (steps.size() < 5) return {};
  Pace pace;
  pace.step = median_of(steps);
  const auto near = std::ranges::count_if(steps, [&](std::int64_t step) {
    return std::abs(static_cast<double>(step - pace.step)) <= 0.1 * static_cast<double>(pace.step);
  });
  pace.regular = static_cast<std::size_t>(near) * 4 >= steps.size() * 3;
  return pace;
}

bool differ(std::int64_t a, std::int64_t b) {
  const double ratio = static_cast<double>(a) / static_cast<double>(b);
  return ratio > 1.25 || ratio < 0.8;
}

}  // namespace

namespace {

/// What a block of steps has, counted without a branch.
struct Counted {
  std::int64_t odd = 0;  ///< steps of zero, and those longer than `gap_from`
  std::int64_t off = 0;  ///< others that are off the typical one by more than `slack`
};

// Vectors of four, where the machine has them: x86-64 alone can't compare int64 side by side.
ZEROBEAT_CLONES Counted count_steps(const std::int64_t* t, std::size_t count, std::int64_t step,
                                    std::int64_t gap_from, std::int64_t slack) {
  std::int64_t odd = 0, off = 0;
  for (std::size_t i = 1; i < count; ++i) {
    // What overflows is longer than any gap.
    const auto own = static_cast<std::int64_t>(static_cast<std::uint64_t>(t[i]) -
                                               static_cast<std::uint64_t>(t[i - 1]));
    const bool is_odd = (own <= 0) | (own > gap_from);
    const bool is_off = (own - step > slack) | (step - own > slack);
    odd += is_odd;
    off += is_off & !is_odd;
  }
  return {odd, off};
}

}  // namespace

Steps look_at_steps(const StrandTimes& times, Nanoseconds typical, double gap_factor,
                    const Calendar& calendar, const Zone& zone) {
  const std::int64_t step = typical.count();
  const double limit = gap_factor * static_cast<double>(step);
  constexpr auto longest = std::numeric_limits<std::int64_t>::max();
  const std::int64_t gap_from = limit >= static_cast<double>(longest)
                                    ? longest - 1
                                    : static_cast<std::int64_t>(std::floor(limit));
  const std::int64_t slack = step / 100;
  const Instant* const t = times.sorted.data();
  const std::size_t count = times.size();

  // Blocks are counted side by side; only those that have something odd are looked at closely.
  constexpr std::size_t block = 4096;
  const std::size_t blocks = (count + block - 1) / block;
  std::vector<Counted> counted(blocks);
  const auto* const numbers = reinterpret_cast<const std::int64_t*>(t);
  static_assert(sizeof(Instant) == sizeof(std::int64_t));
  detail::parallel_for(tbb::blocked_range<std::size_t>(0, blocks, 16), [&](const auto& range) {
    for (std::size_t b = range.begin(); b < range.end(); ++b) {
      // From the step into the block's first time on.
      const std::size_t begin = b == 0 ? 0 : b * block - 1;
      counted[b] = count_steps(numbers + begin, std::min(count, (b + 1) * block) - begin, step,
                               std::min(gap_from, longest - 1), slack);
    }
  });

  Steps out;
  const auto note_off = [&](std::size_t i) {
    if (out.off++ == 0) out.first_off_row = times.sorted_row(i);
  };
  for (std::size_t b = 0; b < blocks; ++b) {
    if (counted[b].odd == 0 && (counted[b].off == 0 || out.off > 0)) {
      out.off += counted[b].off;
      continue;
    }
    for (std::size_t i = std::max<std::size_t>(1, b * block); i < std::min(count, (b + 1) * block);
         ++i) {
      const std::int64_t own = nanoseconds_between(t[i - 1], t[i]);
      if (own == 0) {
        if (out.duplicates++ == 0) out.first_duplicate_row = times.sorted_row(i);
      } else if (own > gap_from) {
        const std::int64_t worked =
            calendar.is_plain() ? own : own - calendar.idle(t[i - 1], t[i], zone).count();
        if (worked > gap_from) {
          out.gaps.push_back({t[i - 1], t[i], worked, times.sorted_row(i)});
        } else if (std::abs(worked - step) > slack) {
          note_off(i);
        }
      } else if (own - step > slack || step - own > slack) {
        note_off(i);
      }
    }
  }
  return out;
}

Lateness look_at_order(const StrandTimes& times) {
  Lateness out;
  if (times.in_order || times.size() == 0) return out;
  Instant latest = times.arrived[0];
  for (std::size_t i = 1; i < times.size(); ++i) {
    const Instant t = times.arrived[i];
    if (t < latest) {
      out.late.add(times.arrived_row(i));
      out.most_late = std::max(out.most_late, nanoseconds_between(t, latest));
    } else {
      latest = t;
    }
  }
  return out;
}

std::vector<RateChange> rate_changes(const StrandTimes& times) {
  std::vector<RateChange> changes;
  const std::size_t count = times.size();
  const std::size_t block = std::max<std::size_t>(16, count / 256);
  if (count < 3 * block) return changes;
  std::vector<Pace> paces;
  for (std::size_t at = 0; at + block <= count; at += block) {
    paces.push_back(pace_of(times.sorted, at, at + block));
  }
  std::int64_t current = 0;
  for (std::size_t b = 0; b < paces.size(); ++b) {
    if (!paces[b].regular) continue;
    if (current == 0 || !differ(paces[b].step, current)) {
      if (current == 0) current = paces[b].step;
      continue;
    }
    // For good: the block after it goes at the new pace too.
    const bool lasts =
        b + 1 < paces.size() && paces[b + 1].regular && !differ(paces[b + 1].step, paces[b].step);
    if (!lasts) continue;
    // Where it is closer to the new pace than to the old from then on.
    const double between =
        std::sqrt(static_cast<double>(current)) * std::sqrt(static_cast<double>(paces[b].step));
    const bool faster = paces[b].step < current;
    std::size_t at = b * block;
    const auto is_new = [&](std::size_t i) {
      const auto own =
          static_cast<double>(nanoseconds_between(times.sorted[i - 1], times.sorted[i]));
      return (own < between) == faster;
    };
    while (at > 1 && at + block > b * block && is_new(at - 1)) --at;
    while (at + 1 < count && (at == 0 || !is_new(at))) ++at;
    changes.push_back({times.sorted_row(at), current, paces[b].step});
    current = paces[b].step;
  }
  return changes;
}

std::vector<ClockJump> clock_jumps(const StrandTimes& times, Nanoseconds typical,
                                   double gap_factor) {
  std::vector<ClockJump> jumps;
  if (times.in_order) return jumps;
  const double step = static_cast<double>(typical.count());
  const double limit = gap_factor * step;
  const auto& t = times.arrived;
  const std::size_t count = t.size();
  const auto between = [&](std::size_t a, std::size_t b) {
    return static_cast<double>(nanoseconds_between(t[a], t[b]));
  };
  constexpr std::size_t furthest = 10'000;  // how many records a clock may be away for
  for (std::size_t i = 1; i < count; ++i) {
    const double value = between(i - 1, i);
    if (std::abs(value) <= limit) continue;
    // Away and back again: as many steps after it as records went by. What comes late, by contrast,
    // goes on where it left off; one record alone is late or early, and no jump of the clock.
    bool found = false;
    for (std::size_t j = i + 1; j < std::min(count, i + furthest); ++j) {
      const double next = between(j - 1, j);
      if (next < 0 || next > limit) {
        const double expected = static_cast<double>(j - i + 1) * step;
        const bool returns = std::abs(value) > 10 * step && (next < 0) != (value < 0) &&
                             (value > 0 || j - i >= 3) &&
                             std::abs(between(i - 1, j) - expected) < 0.5 * step + 0.01 * expected;
        if (returns) {
          jumps.push_back({times.arrived_row(i), static_cast<std::int64_t>(value - step),
                           static_cast<std::int64_t>(j - i)});
          i = j;
          found = true;
        }
        break;
      }
    }
    if (found || value >= 0) continue;
    // Set back for good: it goes on in plain steps past where it was, or to the end.
    std::size_t j = i + 1;
    while (j < count && t[j] <= t[i - 1] && between(j - 1, j) >= 0 && between(j - 1, j) <= limit)
      ++j;
    const bool past =
        j == count || (t[j] > t[i - 1] && between(j - 1, j) >= 0 && between(j - 1, j) <= limit);
    if (past && j - i >= 4) {
      jumps.push_back({times.arrived_row(i), static_cast<std::int64_t>(value - step), 0});
      i = j - 1;
    }
  }
  return jumps;
}

Noticed stuck_clock(const StrandTimes& times) {
  constexpr std::size_t long_run = 5;
  Noticed stuck;
  const auto& t = times.arrived;
  std::size_t runs = 0, repeated = 0;
  for (std::size_t i = 0; i < t.size();) {
    std::size_t end = i + 1;
    while (end < t.size() && t[end] == t[i]) ++end;
    ++runs;
    if (end - i >= long_run) {
      stuck.add(times.arrived_row(i), static_cast<std::int64_t>(end - i));
    } else {
      repeated += end - i > 1;
    }
    i = end;
  }
  // Where ties are the custom, as among trades of one second, a long one says nothing.
  return repeated * 10 <= runs ? stuck : Noticed{};
}

}  // namespace zerobeat::detail
