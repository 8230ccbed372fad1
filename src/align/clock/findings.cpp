#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/align/clock/findings.hpp>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/base/text.hpp>

#include "align/clock/comparison.hpp"

namespace zerobeat::inline v1 {

namespace {

/// How many standard errors tell a clock that is off.
constexpr double sure = 5;

/// A strand's clock beside the reference's.
struct Clock {
  const Strand* strand = nullptr;
  ClockComparison found{};
};

/// The clocks of all other strands beside one; the one itself is off by nothing.
std::vector<Clock> beside(const Timeline& timeline, const Strand& reference, const Tune& options) {
  Tune tuning = options;
  tuning.against = *reference.key;
  std::vector<Clock> clocks{{&reference, {}}};
  auto found = compare_clocks(timeline, tuning);
  std::size_t next = 0;
  for (const Strand& strand : timeline.strands()) {
    if (&strand != &reference) clocks.push_back({&strand, std::move(found[next++])});
  }
  return clocks;
}

std::int64_t matched(const std::vector<Clock>& clocks) {
  return std::ranges::count_if(clocks,
                               [](const Clock& clock) { return clock.found.refused.empty(); });
}

/// Beside the strand with the most readings; when that one is like few others, beside the next.
std::vector<Clock> compared(const Timeline& timeline, const Tune& options) {
  std::vector<const Strand*> by_size;
  for (const Strand& strand : timeline.strands()) by_size.push_back(&strand);
  std::ranges::stable_sort(by_size, std::greater<>(), &Strand::size);
  std::vector<Clock> best;
  constexpr std::size_t tries = 3;
  for (std::size_t i = 0; i < std::min(tries, by_size.size()); ++i) {
    auto clocks = beside(timeline, *by_size[i], options);
    if (best.empty() || matched(clocks) > matched(best)) best = std::move(clocks);
    if (2 * matched(best) > static_cast<std::int64_t>(by_size.size())) break;
  }
  return best;
}

/// The lower of two in the middle, so that it is some strand's.
const Clock& middle_of(std::vector<const Clock*> clocks, double Tuning::*member) {
  const auto middle = clocks.begin() + static_cast<std::ptrdiff_t>((clocks.size() - 1) / 2);
  std::ranges::nth_element(clocks, middle, {},
                           [&](const Clock* clock) { return clock->found.tuning.*member; });
  return **middle;
}

/// What a strand is off from the others.
struct Off {
  double offset_s = 0, offset_se_s = 0, drift_ppm = 0, drift_se_ppm = 0;

  bool is_sure() const {
    return std::fabs(offset_s) > sure * offset_se_s || std::fabs(drift_ppm) > sure * drift_se_ppm;
  }
};

Off off_from(const Clock& clock, const Clock& by_offset, const Clock& by_drift) {
  const Tuning &tuning = clock.found.tuning, &offset = by_offset.found.tuning,
               &drift = by_drift.found.tuning;
  // The reference's own errors are none: it counts with those of the one in the middle.
  return {tuning.offset_s - offset.offset_s, std::max(tuning.offset_se_s, offset.offset_se_s),
          tuning.drift_ppm - drift.drift_ppm, std::max(tuning.drift_se_ppm, drift.drift_se_ppm)};
}

std::string told(const Clock& clock, const Off& off, const Clock& right, const std::string& column,
                 bool of_two) {
  const std::string key = shown(*clock.strand->key), by = shown(*right.strand->key);
  std::string text =
      fmt::format("the clock of {} is {} of {} (± {:.3g} s)", key, detail::off_text(off.offset_s),
                  of_two ? "that of " + by : std::string("the others"), off.offset_se_s);
  if (std::fabs(off.drift_ppm) > sure * off.drift_se_ppm) {
    text += fmt::format(" and {} {:.3g} ppm (± {:.2g})", off.drift_ppm < 0 ? "loses" : "gains",
                        std::fabs(off.drift_ppm), off.drift_se_ppm);
  }
  if (of_two) text += ", or the other way round";
  return text + fmt::format("; see tune ‹against› {} ‹on› {}", by, shown(column));
}

}  // namespace

std::vector<ClockFinding> clock_findings(const Timeline& timeline, const std::string& column) {
  if (!timeline.has_key() || timeline.strands().size() < 2) {
    fail_usage(
        "{} has {}; the clocks of its strands are compared with each other (‹key›), those of "
        "two sources with tune",
        shown(timeline.name()), timeline.has_key() ? "one strand" : "no key");
  }
  const Tune options{.on = column, .drift = true};
  const auto clocks = compared(timeline, options);
  std::vector<const Clock*> alike, unlike;
  for (const Clock& clock : clocks) {
    (clock.found.refused.empty() ? alike : unlike).push_back(&clock);
  }
  std::vector<ClockFinding> findings;
  const auto records = [](const Clock& clock) {
    return static_cast<std::int64_t>(clock.strand->size());
  };
  if (alike.size() > 1) {
    const Clock& by_offset = middle_of(alike, &Tuning::offset_s);
    const Clock& by_drift = middle_of(alike, &Tuning::drift_ppm);
    double surest = 0;
    for (const Clock* clock : alike) {
      const Off off = off_from(*clock, by_offset, by_drift);
      surest = std::max(surest, off.offset_se_s);
      if (!off.is_sure()) continue;
      findings.push_back({clock->strand->key,
                          {"clock-off", records(*clock), 0,
                           told(*clock, off, by_offset, column, alike.size() == 2)}});
    }
    if (findings.empty()) {
      std::int64_t all = 0;
      for (const Clock* clock : alike) all += records(*clock);
      findings.push_back({std::nullopt,
                          {"clock-agree", all, 0,
                           fmt::format("by {} the clocks of {} strands agree, to {:.2g} s",
                                       shown(column), alike.size(), surest)}});
    }
  }
  for (const Clock* clock : unlike) {
    findings.push_back({clock->strand->key,
                        {"clock-unlike", records(*clock), 0,
                         fmt::format("{} does not tell the clock of {}: {}", shown(column),
                                     shown(*clock->strand->key), clock->found.refused)}});
  }
  return findings;
}

}  // namespace zerobeat
