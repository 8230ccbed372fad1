#include "align/clock/fit.hpp"

#include <algorithm>
#include <cmath>

namespace zerobeat::inline v1::detail {

namespace {

LineGrid fine_grid(const ClockReadings& readings, double widening) {
  const double step = readings.step / 2 * widening, from = readings.at.front();
  return {from, step, static_cast<std::size_t>((readings.at.back() - from) / step) + 2};
}

ClockReadings fewer(const ClockReadings& readings, std::size_t most) {
  if (most == 0 || readings.size() <= most) return readings;
  ClockReadings out;
  out.step = readings.step;
  for (std::size_t i = 0; i < most; ++i) {
    const std::size_t at = i * readings.size() / most;
    out.at.push_back(readings.at[at]);
    out.values.push_back(readings.values[at]);
  }
  return out;
}

ClockFrame frame_of(const ClockReadings& points, double step, const ClockSearch& search) {
  ClockFrame frame{.first = points.at.front(), .last = points.at.back(), .step = step};
  frame.drifts = search.drift;
  const double slow = slow_stretch(search, step, frame.span());
  frame.bends = static_cast<std::size_t>(std::max(1.0, std::round(frame.span() / slow))) + 1;
  frame.slow = std::max(1e-9, frame.span() / static_cast<double>(frame.bends - 1));
  return frame;
}

}  // namespace

/// Where a fit stands, as the line sees it.
struct ClockFitter::State {
  double offset = 0, drift = 0;
  double spread = 0;  ///< of the differences, as far as it is known
  double slope = 1, drift_slope = 1;
  bool settled = false;

  /// Whether there is more shape than noise in the line's slope.
  bool usable() const {
    const auto fair = [](double x) { return x > 0.3 && x < 3; };
    return fair(slope) && fair(drift_slope);
  }
};

ClockFitter::ClockFitter(const ClockReadings& reference, const ClockReadings& other,
                         const ClockSearch& search, bool turned, double widening,
                         std::size_t most_readings)
    : turned_(turned),
      points_(fewer(turned_ ? reference : other, most_readings)),
      line_(turned_ ? other : reference, 2.5 * widening * (turned_ ? other : reference).step,
            fine_grid(turned_ ? other : reference, widening)),
      frame_(frame_of(points_, std::max(reference.step, other.step), search)),
      beside_(0.2 * std::max(frame_.step, widening * std::min(reference.step, other.step))) {}

void ClockFitter::take_slopes(State& state) const {
  const auto moved = [&](double offset, double drift) {
    ClockEquations equations(points_, line_, frame_, state.offset + offset, state.drift + drift);
    return equations.solved(state.spread);
  };
  const auto less = moved(-beside_, 0), more = moved(beside_, 0);
  if (less.solved && more.solved) state.slope = (less.offset - more.offset) / (2 * beside_);
  if (!frame_.drifts) return;
  const double aside = 2 * beside_ / frame_.span();
  const auto slower = moved(0, -aside), faster = moved(0, aside);
  if (slower.solved && faster.solved) {
    state.drift_slope = (slower.drift - faster.drift) / (2 * aside);
  }
}

ClockStep ClockFitter::step(State& state) const {
  ClockEquations equations(points_, line_, frame_, state.offset, state.drift);
  ClockStep step = equations.solved(state.spread);
  if (!step.solved) return step;
  state.spread = step.spread;
  const double by = step.offset / state.slope, faster = step.drift / state.drift_slope;
  const double most = 4 * beside_, fastest = 2 * most / frame_.span();
  state.offset += std::clamp(by, -most, most);
  state.drift = std::clamp(state.drift + std::clamp(faster, -fastest, fastest), -2 * most_drift,
                           2 * most_drift);
  // To a two hundredth of how sure it is.
  const double enough = 5e-3 * std::sqrt(step.var_offset),
               enough_drift = 5e-3 * std::sqrt(step.var_drift);
  state.settled = std::fabs(by) <= std::max(1e-9 * frame_.step, enough) &&
                  std::fabs(faster) * frame_.span() <=
                      std::max(1e-9 * frame_.step, enough_drift * frame_.span());
  return step;
}

ClockFit ClockFitter::fit_of(const ClockStep& step, const State& state) const {
  ClockFit fit;
  if (!step.solved || !state.usable()) return fit;
  fit.offset_se_s = std::sqrt(step.var_offset) / state.slope;
  fit.drift_se = frame_.drifts ? std::sqrt(step.var_drift) / state.drift_slope : 0;
  fit.offset_s = turned_ ? -state.offset / (1 - state.drift) : state.offset;
  fit.drift = turned_ ? -state.drift / (1 - state.drift) : state.drift;
  fit.likeness = step.likeness;
  fit.clearness = step.clearness;
  fit.spread = step.spread;
  fit.slope = state.slope;
  fit.drift_slope = state.drift_slope;
  fit.done = true;
  return fit;
}

ClockFitter::State ClockFitter::state_of(double offset, double drift) const {
  // Turned: u = s + offset + drift · u.
  if (turned_) return {-offset / (1 - drift), -drift / (1 - drift)};
  return {offset, drift};
}

ClockFit ClockFitter::operator()(const LagPeak& from) const {
  constexpr int most_rounds = 30;
  State state = state_of(from.offset_s, from.drift);
  const double start = state.offset;
  for (int round = 0; round < most_rounds && !state.settled; ++round) {
    if (!step(state).solved) return {};
    if (round % 8 == 1) {
      take_slopes(state);
      if (!state.usable()) return {};
    }
  }
  if (std::fabs(state.offset - start) > 100 * beside_) return {};
  take_slopes(state);
  ClockEquations equations(points_, line_, frame_, state.offset, state.drift);
  return fit_of(equations.solved(state.spread), state);
}

ClockFit ClockFitter::polished(const ClockFit& from) const {
  State state = state_of(from.offset_s, from.drift);
  state.spread = from.spread;
  state.slope = from.slope;
  state.drift_slope = from.drift_slope;
  ClockStep clock_step;
  for (int round = 0; round < 6 && !state.settled; ++round) clock_step = step(state);
  return fit_of(clock_step, state);
}

}  // namespace zerobeat::detail
