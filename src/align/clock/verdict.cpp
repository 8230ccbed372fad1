#include "align/clock/verdict.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "align/clock/scale.hpp"
#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Kind = ClockVerdict::Kind;

constexpr std::size_t least_readings = 10;
/// Readings that are compared to choose among peaks, and to fit the one that was chosen.
constexpr std::size_t enough_to_choose = 20'000, enough_to_be_sure = 200'000;

/// The share that stays unexplained.
double rest_of(const ClockFit& fit) { return 1 - fit.likeness * fit.likeness; }

/// Whether it can't be told from the best: what it leaves unexplained is less than twice as much.
bool rivals(const ClockFit& best, const ClockFit& other) {
  return other.likeness >= 0.9 * best.likeness && rest_of(other) < 2 * rest_of(best);
}

/// Whether it is no chance, and says more than the range did.
bool is_clear(const ClockFit& fit, const ClockSearch& search) {
  return fit.clearness >= least_clearness && 4 * fit.offset_se_s < search.within_s;
}

/// Two sources about to be compared, in units of their deviations; only what may meet counts.
struct Both {
  ClockReadings reference, other;

  double finer() const { return std::min(reference.step, other.step); }
  double coarser() const { return std::max(reference.step, other.step); }
  /// The line is best through the finer source's readings.
  bool turned() const { return reference.step > 1.5 * other.step; }
};

std::optional<Both> both_of(const ClockReadings& reference, const ClockReadings& other,
                            const ClockSearch& search) {
  if (reference.size() < least_readings || other.size() < least_readings) return std::nullopt;
  const auto room = [&](const ClockReadings& readings) {
    const double far = std::max(std::fabs(readings.at.front()), std::fabs(readings.at.back()));
    return search.within_s + (search.drift ? 2 * most_drift * far : 0);
  };
  Both both;
  both.other = standardised(between(other, reference.at.front() - room(reference),
                                    reference.at.back() + room(reference)));
  if (both.other.size() < least_readings) return std::nullopt;
  both.reference = standardised(between(reference, both.other.at.front() - room(both.other),
                                        both.other.at.back() + room(both.other)));
  if (both.reference.size() < least_readings || !(both.finer() > 0)) return std::nullopt;
  return both;
}

/// How wide the line is best smoothed: that with which the offset is surest. Where readings stand
/// close beside what they show, a narrow line is mostly noise, and its slope more so. Of many
/// readings a stretch around the middle tells.
double best_widening(const Both& both, const ClockSearch& search, const LagPeak& peak) {
  constexpr double most_steps = 100'000;
  const double span = both.other.at.back() - both.other.at.front();
  const double slow = slow_stretch(search, both.coarser(), span);
  const double half = std::max(most_steps * both.finer() / 2, 2 * slow) + search.within_s;
  const ClockReadings reference = between(both.reference, -half, half),
                      other = between(both.other, -half, half);
  const bool whole = reference.size() < least_readings || other.size() < least_readings;
  double best = 1, least = std::numeric_limits<double>::infinity();
  int worse = 0;
  for (double widening = 1; widening <= std::max(1.0, slow / (10 * both.finer())) && worse < 2;
       widening *= 2) {
    const ClockFitter fitter(whole ? both.reference : reference, whole ? both.other : other, search,
                             both.turned(), widening, enough_to_choose);
    const ClockFit fit = fitter(peak);
    if (fit.done && fit.offset_se_s < least) {
      least = fit.offset_se_s;
      best = widening;
      worse = 0;
    } else if (fit.done) {
      ++worse;
    }
  }
  return best;
}

/// The fits that the peaks lead to, the best first; peaks that lead to one place are one.
std::vector<ClockFit> fits_of(const Both& both, const ClockSearch& search, double widening,
                              const std::vector<LagPeak>& peaks) {
  const ClockFitter fitter(both.reference, both.other, search, both.turned(), widening,
                           enough_to_choose);
  std::vector<ClockFit> all(peaks.size());
  detail::parallel_for(std::size_t{0}, all.size(),
                       [&](std::size_t i) { all[i] = fitter(peaks[i]); });
  std::erase_if(all, [](const ClockFit& fit) { return !fit.done; });
  std::ranges::stable_sort(all, std::greater<>(), &ClockFit::likeness);
  std::vector<ClockFit> apart;
  for (const ClockFit& fit : all) {
    const bool known = std::ranges::any_of(apart, [&](const ClockFit& other) {
      return std::fabs(other.offset_s - fit.offset_s) < both.coarser();
    });
    if (!known) apart.push_back(fit);
  }
  return apart;
}

/// What a search came to.
struct Found {
  ClockSearch search{};
  LagPeaks peaks{};
  double widening = 1;
  std::vector<ClockFit> fits{};

  double likeness() const { return fits.empty() ? 0 : fits[0].likeness; }
};

Found found_with(const Both& both, const ClockSearch& search) {
  Found found{search, lag_peaks(both.reference, both.other, search), 1, {}};
  if (found.peaks.peaks.empty()) return found;
  found.widening = best_widening(both, search, found.peaks.peaks[0]);
  found.fits = fits_of(both, search, found.widening, found.peaks.peaks);
  return found;
}

/// The mean of a fit and of one with line and readings changed about: what the line's smoothness
/// does to a shape that rises faster than it falls turns its sign with them.
ClockFit mean_of(const ClockFit& a, const ClockFit& b) {
  if (!b.done) return a;
  ClockFit out = a;
  out.offset_s = (a.offset_s + b.offset_s) / 2;
  out.drift = (a.drift + b.drift) / 2;
  out.offset_se_s = (a.offset_se_s + b.offset_se_s) / 2;
  out.drift_se = (a.drift_se + b.drift_se) / 2;
  return out;
}

/// The fit that was chosen, with all that there is.
ClockFit made_sure(Both& both, const ClockSearch& search, double widening, ClockFit fit) {
  const bool turned = both.turned();
  // One that reads along a curve is made to read as the reference does; that stays when it makes
  // the offset surer.
  if (const auto scale = curved_scale(both.reference, both.other, fit)) {
    ClockReadings straight = both.other;
    for (double& x : straight.values) x = (*scale)(x);
    const ClockFitter fitter(both.reference, straight, search, turned, widening, enough_to_choose);
    const ClockFit better = fitter({fit.offset_s, fit.drift, fit.likeness});
    if (better.done && better.offset_se_s < 0.9 * fit.offset_se_s) {
      fit = better;
      both.other = std::move(straight);
    }
  }
  if (std::max(both.reference.size(), both.other.size()) > enough_to_choose) {
    const ClockFitter fitter(both.reference, both.other, search, turned, widening,
                             enough_to_be_sure);
    const ClockFit better = fitter.polished(fit);
    if (better.done) fit = better;
  }
  if (both.coarser() < 1.5 * both.finer()) {
    const ClockFitter about(both.reference, both.other, search, !turned, widening,
                            enough_to_be_sure);
    fit = mean_of(fit, about.polished(fit));
  }
  return fit;
}

}  // namespace

ClockVerdict judge_clocks(const ClockReadings& reference, const ClockReadings& other,
                          const ClockSearch& search) {
  auto both = both_of(reference, other, search);
  if (!both) return {Kind::too_few, {}, {}};
  Found found = found_with(*both, search);
  // A shape that is slower than what is usually taken off shows when less is.
  constexpr double alike = 0.9;
  const double span = both->other.at.back() - both->other.at.front();
  for (ClockSearch slower = search; !(found.likeness() >= alike);) {
    slower.slowness *= 4;
    if (slow_stretch(slower, both->coarser(), span) > span) break;
    Found more = found_with(*both, slower);
    if (more.likeness() > found.likeness()) found = std::move(more);
  }
  const Kind none = found.peaks.rises_beyond ? Kind::beyond : Kind::no_peak;
  if (found.fits.empty()) return {none, {}, {}};

  ClockVerdict verdict{Kind::found, found.fits[0], {}};
  for (std::size_t i = 1; i < found.fits.size(); ++i) {
    if (rivals(found.fits[0], found.fits[i])) verdict.rivals.push_back(found.fits[i]);
  }
  if (std::fabs(verdict.fit.offset_s) > search.within_s || found.peaks.rises_beyond) {
    verdict.kind = Kind::beyond;
  } else if (!is_clear(verdict.fit, search)) {
    verdict.kind = Kind::unclear;
  } else if (!verdict.rivals.empty()) {
    verdict.kind = Kind::ambiguous;
  } else {
    verdict.fit = made_sure(*both, found.search, found.widening, verdict.fit);
    if (!is_clear(verdict.fit, search)) verdict.kind = Kind::unclear;
  }
  return verdict;
}

}  // namespace zerobeat::detail
