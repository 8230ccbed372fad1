/// Trend, season and rest of one sequence of readings.

#pragma once

#include <optional>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// NaN where there is no value.
struct SeasonalParts {
  std::vector<double> trend{}, season{};
};

struct SeasonalLoess {
  std::size_t season = 2;         ///< rows
  std::size_t season_window = 0;  ///< 0: periodic
  std::size_t trend_window = 0;
  bool robust = false;
};

/// Seasonal and trend decomposition by loess (Cleveland, Cleveland, McRae and Terpenning 1990). NaN
/// is a missing reading.
[[nodiscard]] SeasonalParts seasonal_loess(std::span<const double> readings,
                                           const SeasonalLoess& how);

/// Periodic, with the trend window that goes with so many rows.
[[nodiscard]] SeasonalLoess periodic_loess(std::size_t season, std::size_t rows);
/// The least odd number not below.
[[nodiscard]] std::size_t odd_from(double least);

/// How much of what is beside the rest a part explains: max(0, 1 - var(rest) / var(rest + part)).
[[nodiscard]] double strength_of(std::span<const double> rest, std::span<const double> with_part);
/// How strong the season of readings is, decomposed so: at least two seasons of them.
[[nodiscard]] double season_strength(std::span<const double> readings, std::size_t season);

/// The classical one, by means.
[[nodiscard]] SeasonalParts seasonal_means(std::span<const double> readings, std::size_t season);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
