#include "view/drawing/drawing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

namespace {

struct Rgb {
  double red = 0, green = 0, blue = 0;
};

/// From pale to dark: its lightness falls evenly, so that it reads in grey as well.
constexpr std::array<Rgb, 5> scale_stops{{{0xf2, 0xef, 0xe6},
                                          {0xb9, 0xd6, 0xd3},
                                          {0x5f, 0xa3, 0xad},
                                          {0x12, 0x67, 0x8a},
                                          {0x0b, 0x2f, 0x4a}}};

/// A tick's number as people write it: thousands apart where an axis has five digits or more.
std::string number_text(double value, double step, double greatest) {
  if (std::fabs(value) < step * 1e-9) value = 0;
  if (greatest >= 1e4 && std::fabs(value) < 1e12 && step >= 1) return grouped(std::llround(value));
  return fmt::format("{:.10g}", value);
}

}  // namespace

std::string value_text(double value, int digits) {
  const double size = std::fabs(value);
  if (size < 1e4 || size >= 1e15) return fmt::format("{:.{}g}", value, digits);
  // To whole numbers, of which so many digits count.
  const double power = std::pow(10.0, std::floor(std::log10(size)) + 1 - digits);
  const double rounded = power > 1 ? std::round(value / power) * power : std::round(value);
  return grouped(std::llround(rounded));
}

std::vector<Point> take_lone_points(LineShape& line) {
  std::vector<Point> alone;
  std::erase_if(line.stretches, [&](const auto& stretch) {
    if (stretch.size() == 1) alone.push_back(stretch[0]);
    return stretch.size() < 2;
  });
  return alone;
}

std::string ink(std::size_t n) { return inks[n % std::size(inks)]; }

Dash dash(std::size_t n) {
  constexpr std::size_t plain = 6;
  if (n < plain) return Dash::solid;
  constexpr std::array<Dash, 3> broken{Dash::dashed, Dash::dotted, Dash::mixed};
  return broken[(n - plain) / std::size(inks) % broken.size()];
}

std::string scale_ink(double share) {
  const double place = std::clamp(share, 0.0, 1.0) * static_cast<double>(scale_stops.size() - 1);
  const auto stop = std::min(static_cast<std::size_t>(place), scale_stops.size() - 2);
  const double rest = place - static_cast<double>(stop);
  const auto between = [&](double Rgb::*part) {
    const double from = scale_stops[stop].*part, to = scale_stops[stop + 1].*part;
    return static_cast<int>(std::lround(from + rest * (to - from)));
  };
  return fmt::format("#{:02x}{:02x}{:02x}", between(&Rgb::red), between(&Rgb::green),
                     between(&Rgb::blue));
}

std::vector<AxisTick> round_ticks(double low, double high, int most) {
  std::vector<AxisTick> ticks;
  const double span = high - low;
  if (!(span > 0) || !std::isfinite(span)) return ticks;
  const double rough = span / std::max(1, most);
  const double power = std::pow(10.0, std::floor(std::log10(rough)));
  double step = 10 * power;
  for (const double factor : {1.0, 2.0, 5.0}) {
    if (factor * power >= rough * (1 - 1e-9)) {
      step = factor * power;
      break;
    }
  }
  const double first = std::ceil(low / step - 1e-9);
  const double greatest = std::max(std::fabs(low), std::fabs(high));
  for (int i = 0; i < 2 * most + 4; ++i) {
    // Far from zero, numbers may be further apart than ticks.
    const double at = (first + i) * step;
    if (at > high + step * 1e-9) break;
    if (!ticks.empty() && at <= ticks.back().at) continue;
    if (at >= low - step * 1e-9) ticks.push_back({at, number_text(at, step, greatest)});
  }
  return ticks;
}

std::vector<AxisTick> log_ticks(double low, double high, int most) {
  std::vector<AxisTick> ticks;
  if (!(low > 0) || !(high > low)) return ticks;
  const int first = static_cast<int>(std::floor(std::log10(low)));
  const int last = static_cast<int>(std::ceil(std::log10(high)));
  const int powers = last - first;
  const auto put = [&](int power, int digit) {
    const double at = digit * std::pow(10.0, power);
    if (at < low * (1 - 1e-12) || at > high * (1 + 1e-12)) return;
    ticks.push_back({at, std::fabs(power) > 5 ? fmt::format("{:g}", at) : number_text(at, at, at)});
  };
  for (int power = first; power <= last; ++power) {
    for (const int digit : {1, 2, 5}) put(power, digit);
  }
  if (ticks.size() > static_cast<std::size_t>(most) + 2) {
    ticks.clear();
    const int step = std::max(1, (powers + most - 1) / std::max(1, most));
    for (int power = first; power <= last; power += step) put(power, 1);
  }
  // Within a part of one power, round numbers serve.
  return ticks.size() < 2 ? round_ticks(low, high, most) : ticks;
}

std::vector<AxisTick> ticks_of(const DrawnAxis& axis, int most) {
  if (axis.ticks) return axis.ticks(most);
  return axis.log ? log_ticks(axis.low, axis.high, most) : round_ticks(axis.low, axis.high, most);
}

DrawnAxis word_axis(const std::vector<std::string>& words, double in_the_room_of_one) {
  DrawnAxis axis;
  axis.low = -0.5;
  axis.high = static_cast<double>(words.size()) - 0.5;
  axis.grid = false;
  axis.marks = false;
  axis.ticks = [words, in_the_room_of_one](int most) {
    const auto fit = static_cast<std::size_t>(std::max(1, most) * in_the_room_of_one);
    const std::size_t step = std::max<std::size_t>(1, (words.size() + fit - 1) / fit);
    std::vector<AxisTick> ticks;
    for (std::size_t i = 0; i < words.size(); i += step) {
      ticks.push_back({static_cast<double>(i), words[i]});
    }
    return ticks;
  };
  return axis;
}

Drawing empty_drawing(const std::string& why) {
  Drawing drawing;
  Panel panel;
  panel.empty = why;
  panel.x.ticks = panel.y.ticks = [](int) { return std::vector<AxisTick>(); };
  drawing.rows.push_back({{std::move(panel)}});
  drawing.name = "Nothing to draw";
  drawing.description = why;
  return drawing;
}

}  // namespace zerobeat::detail
