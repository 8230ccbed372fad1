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

/// What a strand is off from the others.
struct Off {
  double offset_s = 0, offset_se_s = 0, drift_ppm = 0, drift_se_ppm = 0;

  bool is_sure() const {
    return std::fabs(offset_s) > sure * offset_se_s || std::fabs(drift_ppm) > sure * drift_se_ppm;
  }
};

Off off_from(const Clock& clock, const Clock& right) {
  const Tuning &tuning = clock.found.tuning, &by = right.found.tuning;
  // The reference's own errors are none: it counts with those of the other.
  return {tuning.offset_s - by.offset_s, std::max(tuning.offset_se_s, by.offset_se_s),
          tuning.drift_ppm - by.drift_ppm, std::max(tuning.drift_se_ppm, by.drift_se_ppm)};
}

/// The clock that agrees with most others; of several the one of the most readings.
const Clock& right_one(const std::vector<const Clock*>& clocks) {
  const Clock* best = nullptr;
  std::int64_t most = -1;
  for (const Clock* clock : clocks) {
    const auto agree = std::ranges::count_if(
        clocks, [&](const Clock* other) { return !off_from(*other, *clock).is_sure(); });
    if (agree < most || (agree == most && clock->strand->size() <= best->strand->size())) continue;
    most = agree;
    best = clock;
  }
  return *best;
}

std::string told(const Clock& clock, const Off& off, const Clock& right, const std::string& column,
                 bool of_two) {
  const std::string key = shown(*clock.strand->key), by = shown(*right.strand->key);
  std::string text =
      fmt::format("the clock of {} is {} of {} (± {:.3g} s)", key, detail::off_text(off.offset_s),
                  of_two ? "that of " + by : std::string("the others"), off.offset_se_s);
  const bool drifts = std::fabs(off.drift_ppm) > sure * off.drift_se_ppm;
  if (drifts) {
    text += fmt::format(" and {} {:.3g} ppm (± {:.2g})", off.drift_ppm < 0 ? "loses" : "gains",
                        std::fabs(off.drift_ppm), off.drift_se_ppm);
  }
  if (of_two) text += ", or the other way round";
  return text + fmt::format("; see tune ‹against› {} ‹on› {}{}", by, shown(column),
                            drifts ? " ‹drift›" : "");
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
    const Clock& right = right_one(alike);
    double surest = 0;
    for (const Clock* clock : alike) {
      const Off off = off_from(*clock, right);
      surest = std::max(surest, off.offset_se_s);
      if (!off.is_sure()) continue;
      findings.push_back(
          {clock->strand->key,
           {"clock-off", records(*clock), 0, told(*clock, off, right, column, alike.size() == 2)}});
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
