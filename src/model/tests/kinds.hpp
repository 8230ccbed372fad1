/// The tests, and their table.

#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/model/test.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What is tested: readings, none of them missing, and their times in seconds since the first (on
/// a count in steps).
struct Tested {
  std::span<const double> readings{};
  std::span<const double> seconds{};
  bool is_count = false;
};

struct Outcome {
  double statistic = 0, p = 0;
  std::optional<std::int64_t> lags{};
  bool rejected = false;
  std::optional<double> slope{};
};

struct TestKind {
  std::string_view word;
  std::string_view null;
  std::string_view null_of_trend;  ///< about a trend; empty: the same
  bool in_order;                   ///< it needs rows that follow each other
  /// Nothing when it can't be made of so few readings, or of such.
  std::optional<Outcome> (*run)(const Tested& tested, const Test& options);
};

[[nodiscard]] std::span<const TestKind> test_kinds();

std::optional<Outcome> unit_root_test(const Tested& tested, const Test& options);
std::optional<Outcome> level_test(const Tested& tested, const Test& options);
std::optional<Outcome> noise_test(const Tested& tested, const Test& options);
std::optional<Outcome> normal_test(const Tested& tested, const Test& options);
std::optional<Outcome> uniform_test(const Tested& tested, const Test& options);
std::optional<Outcome> trend_test(const Tested& tested, const Test& options);
std::optional<Outcome> runs_test(const Tested& tested, const Test& options);

/// MacKinnon's (1994) p of Dickey and Fuller's statistic.
[[nodiscard]] double mackinnon_p(double statistic, bool trend);

/// How likely Kolmogorov's statistic of n readings is at least d.
[[nodiscard]] double kolmogorov_p(double d, std::size_t n);

/// The median of the slopes of all pairs of points of different times; NaN of none.
[[nodiscard]] double median_slope(std::span<const double> times, std::span<const double> values);
[[nodiscard]] double median_slope_by_pairs(std::span<const double> times,
                                           std::span<const double> values);
[[nodiscard]] double median_slope_by_counts(std::span<const double> times,
                                            std::span<const double> values);

/// Pairs i < j with x[i] > x[j]; the numbers are put in order.
[[nodiscard]] std::int64_t count_inversions(std::span<double> x);

/// The p of a standard normal on both sides.
[[nodiscard]] double normal_p(double z);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
