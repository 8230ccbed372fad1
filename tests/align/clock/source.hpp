/// Two sources that see the same thing by clocks that disagree, made up for tests.

#pragma once

#include <numbers>
#include <random>

#include "support/strand.hpp"

namespace zerobeat::testing {

/// How a source reads what both see.
struct Sampling {
  double step_s = 360;
  double jitter = 0.2;  ///< of a step, either way
  double dropouts = 0.04;
  double noise = 0.1;   ///< of what is seen, whose deviation is 1
  double spikes = 0;    ///< the share of readings that are far off
  double offset_s = 0;  ///< that its clock is ahead at the middle
  double drift_ppm = 0;
};

/// A made-up shape with a deviation of 1: waves of periods from `shortest_h` to twenty times that.
class Shape {
 public:
  explicit Shape(unsigned seed, double shortest_h = 1) {
    std::mt19937_64 random(seed);
    const auto share = [&] { return static_cast<double>(random() >> 11) / 9007199254740992.0; };
    double power = 0;
    for (int i = 0; i < 40; ++i) {
      Wave wave;
      wave.turn = 2 * std::numbers::pi / (3600 * shortest_h * std::pow(20, share()));
      wave.size = 0.3 + share();
      wave.phase = 2 * std::numbers::pi * share();
      power += wave.size * wave.size / 2;
      waves_.push_back(wave);
    }
    for (Wave& wave : waves_) wave.size /= std::sqrt(power);
  }
  /// One wave alone.
  static Shape wave(double period_h) {
    Shape shape(1);
    shape.waves_ = {{2 * std::numbers::pi / (3600 * period_h), std::sqrt(2.0), 0.3}};
    return shape;
  }
  double operator()(double seconds) const {
    double sum = 0;
    for (const Wave& wave : waves_) sum += wave.size * std::cos(wave.turn * seconds + wave.phase);
    return sum;
  }

 private:
  struct Wave {
    double turn = 0, size = 0, phase = 0;
  };
  std::vector<Wave> waves_;
};

/// What a source wrote over so many days from 20 October 2025; `reads` is its calibration.
struct Written {
  std::vector<Instant> times;
  Readings readings;
};

inline double as_it_is(double x) { return x; }

template <typename Reads = double (*)(double)>
Written written(const Shape& shape, const Sampling& sampling, double days, unsigned seed,
                Reads reads = as_it_is) {
  std::mt19937_64 random(seed);
  const auto share = [&] { return static_cast<double>(random() >> 11) / 9007199254740992.0; };
  const auto normal = [&] {
    double sum = -6;
    for (int i = 0; i < 12; ++i) sum += share();
    return sum;
  };
  Written out;
  const double length = days * 86'400, middle = length / 2;
  for (double beat = 0; beat < length; beat += sampling.step_s) {
    const double t = beat + sampling.step_s * sampling.jitter * (2 * share() - 1);
    const double noise = sampling.noise * normal();
    if (share() < sampling.dropouts) continue;
    double reading = reads(shape(t) + noise);
    if (share() < sampling.spikes) reading += 40 * (share() - 0.5);
    // By its own clock u: t = u - offset - drift · (u - middle).
    const double by_own =
        middle + (t - middle + sampling.offset_s) / (1 - sampling.drift_ppm * 1e-6);
    out.times.push_back(at("2025-10-20T00:00:00Z") +
                        std::chrono::microseconds(std::llround(by_own * 1e6)));
    out.readings.push_back(reading);
  }
  return out;
}

inline Timeline timeline_of(const Written& written, const std::string& column,
                            const std::string& name) {
  return timeline_of({written.times, {}, {{column, column_of(written.readings)}}}, {}, name);
}

}  // namespace zerobeat::testing
