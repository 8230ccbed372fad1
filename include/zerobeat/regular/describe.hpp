/// Describing: what the readings of each column are like, in one row.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Describe {
  static constexpr std::string_view name = "describe";
  static constexpr std::string_view help = "what the readings of each column are like";
  static constexpr std::string_view example = "describe tide_gauge.csv --tolerate 1%";

  /// The distribution that a picture lays beside the readings.
  enum class Against { normal, uniform };

  std::vector<std::string> on{};  ///< which columns; empty: every numeric one
  Against against = Against::normal;

  friend bool operator==(const Describe&, const Describe&) = default;
};

[[nodiscard]] constexpr auto enum_words(Describe::Against) {
  return std::array<std::string_view, 2>{"normal", "uniform"};
}

template <typename Visitor, OptionsOf<Describe> O>
void fields(Visitor&& visit, O& o) {
  visit("on", o.on, "A,B", "which columns; unset: every numeric one");
  visit("against", o.against, choices(Describe::Against{}),
        "the distribution that its picture lays beside the readings");
}

/// A table with a row for each strand and column: the key's column when there is one, `column`,
/// `count` (readings), `missing`, `first` and `last` (times of the first and last reading), `mean`,
/// `std`, `min`, `q05`, `q25`, `median`, `q75`, `q95`, `max`, `skewness`, `kurtosis`, and of the
/// question whether the mean is zero: its standard error `mean_se` = std / √n, `t` = mean /
/// mean_se, and `p_mean_zero`, the two-sided p of Student's t with n − 1 degrees of freedom.
///
/// Statistics are those of resample() over the whole strand; of too few readings, and of equal ones
/// where they divide by their spread, they are missing.
///
/// Cost: for each column and strand a pass over its readings, and a selection in a copy of them.
/// Throws Error when a named column is absent or not numeric.
[[nodiscard]] TableResult describe(const Timeline& timeline, const Describe& options = {});

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Describe& options) {
  return describe(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Describe&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Describe& options,
                                                                     std::string_view source);
/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Describe& options);

}  // namespace v1
}  // namespace zerobeat
