/// Models of what comes next, by their names.
///
/// Values: threads may read one at the same time.

#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How many readings and shocks before, how many differences, and the same a season apart.
struct ArimaOrders {
  int p = 0, d = 0, q = 0;
  int seasonal_p = 0, seasonal_d = 0, seasonal_q = 0;
  bool drift = false;  ///< with differences: they have a mean

  [[nodiscard]] bool is_seasonal() const { return seasonal_p + seasonal_d + seasonal_q > 0; }
  [[nodiscard]] int differences() const { return d + seasonal_d; }
  [[nodiscard]] int terms() const { return p + q + seasonal_p + seasonal_q; }
  /// A mean: of readings always, of differences when they drift.
  [[nodiscard]] bool has_constant() const { return differences() == 0 || drift; }
  friend bool operator==(const ArimaOrders&, const ArimaOrders&) = default;
};

/// "1,0,1", "1,0,1 0,1,1".
[[nodiscard]] std::string orders_text(const ArimaOrders& orders);

/// Which parts exponential smoothing has, and how they go together.
struct SmoothingForm {
  enum class Part { none, additive, damped, multiplicative };

  Part error = Part::additive;  ///< additive or multiplicative
  Part trend = Part::none;      ///< none, additive or damped
  Part season = Part::none;     ///< none, additive or multiplicative

  friend bool operator==(const SmoothingForm&, const SmoothingForm&) = default;
};

/// "AAdA".
[[nodiscard]] std::string form_text(const SmoothingForm& form);

/// A model, or a family of which one is chosen.
struct ForecastModel {
  enum class Family { automatic, mean, naive, drift, seasonal, smoothing, arima };

  Family family = Family::automatic;
  std::optional<ArimaOrders> orders{};  ///< of arima; unset: chosen
  std::optional<SmoothingForm> form{};  ///< of smoothing; unset: chosen

  ForecastModel() = default;
  ForecastModel(Family of) : family(of) {}  // NOLINT: meant to convert
  /// Reads text as from_text() does.
  ForecastModel(const char* text);         // NOLINT
  ForecastModel(const std::string& text);  // NOLINT

  /// Whether it is of no use without a season.
  [[nodiscard]] bool needs_season() const;
  friend bool operator==(const ForecastModel&, const ForecastModel&) = default;
};

/// Reads auto, mean, naive, drift, seasonal, smoothing, arima, `arima:p,d,q` or
/// `arima:p,d,q,P,D,Q`, either with `:drift` behind it, and `smoothing:ETS`: error A or M, trend N,
/// A or Ad, season N, A or M. Throws Error of anything else.
void from_text(std::string_view text, ForecastModel& out);
[[nodiscard]] std::string to_text(const ForecastModel& model);

template <>
inline constexpr bool takes_lists<std::vector<ForecastModel>> = true;

/// Reads several with commas between: a comma before a digit belongs to the orders before it.
void from_text(std::string_view text, std::vector<ForecastModel>& out);
[[nodiscard]] std::string to_text(const std::vector<ForecastModel>& models);

}  // namespace v1
}  // namespace zerobeat
