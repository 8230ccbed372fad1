#include <array>
#include <cmath>
#include <vector>

#include "support/strand.hpp"
#include "view/drawing/drawing.hpp"

namespace zerobeat::testing {

namespace {

using Three = std::array<double, 3>;
using Matrix = std::array<Three, 3>;

Three times(const Matrix& matrix, const Three& v) {
  Three out{};
  for (std::size_t i = 0; i < 3; ++i) {
    for (std::size_t j = 0; j < 3; ++j) out[i] += matrix[i][j] * v[j];
  }
  return out;
}

/// Light of an ink "#rrggbb" (IEC 61966-2-1).
Three light_of(const std::string& ink) {
  Three out{};
  for (std::size_t i = 0; i < 3; ++i) {
    const double part = std::stoi(ink.substr(1 + 2 * i, 2), nullptr, 16) / 255.0;
    out[i] = part <= 0.04045 ? part / 12.92 : std::pow((part + 0.055) / 1.055, 2.4);
  }
  return out;
}

/// CIELAB under daylight (D65).
Three lab_of(const Three& light) {
  const Three xyz = times({{{0.4124564, 0.3575761, 0.1804375},
                            {0.2126729, 0.7151522, 0.0721750},
                            {0.0193339, 0.1191920, 0.9503041}}},
                          light);
  const auto f = [](double t) { return t > 0.008856 ? std::cbrt(t) : 7.787 * t + 16.0 / 116; };
  const double x = f(xyz[0] / 0.95047), y = f(xyz[1]), z = f(xyz[2] / 1.08883);
  return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

double apart(const std::string& a, const std::string& b, const Matrix& seen) {
  const Three one = lab_of(times(seen, light_of(a))), other = lab_of(times(seen, light_of(b)));
  return std::hypot(one[0] - other[0], one[1] - other[1], one[2] - other[2]);
}

constexpr Matrix all_cones{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
// Machado, Oliveira, Fernandes 2009, of full severity.
constexpr Matrix without_long{{{0.152286, 1.052583, -0.204868},
                               {0.114503, 0.786281, 0.099216},
                               {-0.003882, -0.048116, 1.051998}}};
constexpr Matrix without_middle{{{0.367322, 0.860646, -0.227968},
                                 {0.280085, 0.672501, 0.047413},
                                 {-0.011820, 0.042940, 0.968881}}};

}  // namespace

TEST_CASE("inks are told apart, also by who lacks a kind of cone", "[ink]") {
  std::vector<std::string> inks(std::begin(detail::inks), std::end(detail::inks));
  inks.emplace_back(detail::pale_ink);
  inks.emplace_back(detail::text_ink);
  for (std::size_t i = 0; i < inks.size(); ++i) {
    for (std::size_t j = 0; j < i; ++j) {
      INFO(inks[i] << " " << inks[j]);
      CHECK(apart(inks[i], inks[j], all_cones) > 30);
      CHECK(apart(inks[i], inks[j], without_long) > 15);
      CHECK(apart(inks[i], inks[j], without_middle) > 15);
    }
  }
}

TEST_CASE("more than six lines differ by more than their ink", "[ink]") {
  std::vector<std::pair<std::string, detail::Dash>> looks;
  for (std::size_t n = 0; n < 24; ++n) {
    const std::pair look{detail::ink(n), detail::dash(n)};
    CHECK(std::ranges::find(looks, look) == looks.end());
    looks.push_back(look);
  }
  CHECK(detail::dash(5) == detail::Dash::solid);
  CHECK(detail::dash(6) != detail::Dash::solid);
}

TEST_CASE("a scale of color gets darker all the way", "[ink]") {
  double before = 101;
  for (int i = 0; i <= 20; ++i) {
    const double lightness = lab_of(light_of(detail::scale_ink(i / 20.0)))[0];
    CHECK(lightness < before);
    before = lightness;
  }
  CHECK(detail::scale_ink(-1) == detail::scale_ink(0));
}

}  // namespace zerobeat::testing
