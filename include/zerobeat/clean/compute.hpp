/// Computing: columns from columns.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Compute {
  static constexpr std::string_view name = "compute";
  static constexpr std::string_view help = "columns from columns";
  static constexpr std::string_view example =
      "compute tide_gauge.csv --tolerate 1% --set 'level_ft=level_m*3.2808' --set 'high=level_m>4'";

  std::vector<Assignment> set{};  ///< in order: later ones see earlier ones
  bool only = false;              ///< keep no other columns

  friend bool operator==(const Compute&, const Compute&) = default;
};

template <typename Visitor, OptionsOf<Compute> O>
void fields(Visitor&& visit, O& o) {
  visit("set", o.set, "NAME=EXPRESSION",
        "a column's value at each row; give it again for more, later ones see earlier ones, and a "
        "name that is there is replaced in its place");
  visit("only", o.only, "", "keep just these columns");
}

/// Returns `timeline` with the columns that are set: a comparison or another condition gives
/// booleans, all else numbers. A name that is there keeps its place; a new one comes last. Results
/// that are not finite are missing, and the account says how many.
///
/// Cost: see evaluate(). Throws Error when nothing is set, a name is that of the time or the key,
/// or an expression can't be bound.
[[nodiscard]] Timeline compute(const Timeline& timeline, const Compute& options);

[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Compute& options,
                                                                     std::string_view source);

/// As far as the expressions look.
[[nodiscard]] Reach reach(const Compute& options);

inline Timeline operator|(const Timeline& timeline, const Compute& step) {
  return compute(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
