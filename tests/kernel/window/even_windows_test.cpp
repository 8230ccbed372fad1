// Windows that move on by one, put together many at once, against each put together by itself: to
// the last digit.

#include <limits>

#include "kernel/window/sums.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using detail::RowRange;
using detail::StretchedWindows;
using detail::WindowStretch;

/// A trailing window of so many readings for each, shorter ones at the start.
std::vector<RowRange> trailing(std::size_t readings, std::size_t length) {
  std::vector<RowRange> windows;
  for (std::size_t i = 0; i < readings; ++i) {
    windows.push_back({static_cast<std::uint32_t>(i + 1 - std::min(i + 1, length)),
                       static_cast<std::uint32_t>(i + 1)});
  }
  return windows;
}

template <typename Value>
std::vector<Value> random_readings(std::size_t count, unsigned seed) {
  std::mt19937_64 random(seed);
  std::vector<Value> readings(count);
  for (Value& reading : readings) {
    // Runs of equal ones, of which the mean is that reading.
    reading = random() % 5 == 0 && &reading != readings.data()
                  ? *(&reading - 1)
                  : static_cast<Value>(static_cast<double>(random() % 2'000'001 - 1'000'000) / 7);
  }
  return readings;
}

constexpr double untouched = -12345.5;

/// What `kernel(windows, out)` makes with the stretches as they are, and with none taken for even.
template <typename Value, typename Kernel>
void check_even(std::size_t readings, std::size_t length, Kernel&& kernel) {
  INFO(readings << " readings, windows of " << length);
  const auto windows = trailing(readings, length);
  const auto stretches = detail::stretches_of(windows);
  auto plain = stretches;
  std::size_t even = 0;
  for (WindowStretch& stretch : plain) {
    even += stretch.even ? stretch.last - stretch.first : 0;
    stretch.even = false;
  }
  CHECK(even + length >= readings);
  std::vector<Value> fast(readings, static_cast<Value>(untouched));
  std::vector<Value> slow = fast;
  kernel(StretchedWindows{windows, stretches}, fast.data());
  kernel(StretchedWindows{windows, plain}, slow.data());
  CHECK(fast == slow);
  CHECK(std::ranges::find(fast, static_cast<Value>(untouched)) == fast.end());
}

template <typename Kernel>
void check_lengths(Kernel&& kernel) {
  for (const std::size_t readings : {1, 2, 17, 300, 2000}) {
    for (const std::size_t length :
         {std::size_t{1}, std::size_t{2}, std::size_t{3}, std::size_t{7}, std::size_t{15},
          std::size_t{16}, std::size_t{17}, std::size_t{64}, std::size_t{255}, std::size_t{256},
          std::size_t{257}, std::size_t{700}, readings - 1, readings, readings + 1}) {
      if (length > 0) kernel(readings, length);
    }
  }
}

}  // namespace

TEST_CASE("sums and means of windows that move on by one are those of each", "[roll]") {
  check_lengths([](std::size_t readings, std::size_t length) {
    const auto x = random_readings<double>(readings, 3);
    check_even<double>(readings, length, [&](const StretchedWindows& windows, double* out) {
      detail::window_sums(x, windows, out);
    });
    check_even<double>(readings, length, [&](const StretchedWindows& windows, double* out) {
      detail::window_means(x, windows, out);
    });
  });
}

TEST_CASE("moments of windows that move on by one are those of each", "[roll]") {
  check_lengths([](std::size_t readings, std::size_t length) {
    const auto x = random_readings<double>(readings, 4);
    check_even<double>(readings, length, [&](const StretchedWindows& windows, double* out) {
      detail::window_moments(x, windows, nullptr, out);
    });
    check_even<double>(readings, length, [&](const StretchedWindows& windows, double* out) {
      std::vector<double> squares(windows.windows.size());
      detail::window_moments(x, windows, out, squares.data());
    });
  });
}

TEST_CASE("extremes of windows that move on by one are those of each", "[roll]") {
  const auto check = [](auto value) {
    using Value = decltype(value);
    check_lengths([](std::size_t readings, std::size_t length) {
      const auto x = random_readings<Value>(readings, 5);
      check_even<Value>(readings, length, [&](const StretchedWindows& windows, Value* out) {
        detail::window_least(std::span<const Value>(x), windows, out);
      });
      check_even<Value>(readings, length, [&](const StretchedWindows& windows, Value* out) {
        detail::window_greatest(std::span<const Value>(x), windows, out);
      });
    });
  };
  check(0.0);
  check(std::int64_t{0});
}

TEST_CASE("infinities within windows that move on by one come out as in each", "[roll]") {
  auto x = random_readings<double>(400, 6);
  x[100] = std::numeric_limits<double>::infinity();
  x[230] = -std::numeric_limits<double>::infinity();
  x[231] = std::numeric_limits<double>::max();
  for (const std::size_t length : {3, 20, 40}) {
    const auto windows = trailing(x.size(), length);
    const auto stretches = detail::stretches_of(windows);
    auto plain = stretches;
    for (WindowStretch& stretch : plain) stretch.even = false;
    std::vector<double> fast(x.size()), slow(x.size());
    const auto same = [&] {
      return std::ranges::equal(fast, slow, [](double a, double b) {
        return a == b || (std::isnan(a) && std::isnan(b));
      });
    };
    detail::window_sums(x, {windows, stretches}, fast.data());
    detail::window_sums(x, {windows, plain}, slow.data());
    CHECK(same());
    CHECK(std::isinf(fast[100]));
    detail::window_moments(x, {windows, stretches}, nullptr, fast.data());
    detail::window_moments(x, {windows, plain}, nullptr, slow.data());
    CHECK(same());
  }
}

TEST_CASE("stretches say whether their windows move on by one", "[roll]") {
  auto windows = trailing(50, 5);
  for (const WindowStretch& stretch : detail::stretches_of(windows)) {
    // The first windows all begin with the first reading.
    CHECK(stretch.even == (stretch.first >= 4 || stretch.last - stretch.first == 1));
  }
  // One stays where the one before it is.
  windows[30] = windows[29];
  for (const WindowStretch& stretch : detail::stretches_of(windows)) {
    if (stretch.first < 30 && stretch.last > 31) CHECK_FALSE(stretch.even);
    if (stretch.first >= 32 && stretch.last - stretch.first > 1) CHECK(stretch.even);
  }
}

}  // namespace zerobeat::testing
