/// Crossings: when one series passes another, or a value.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Crossings {
  static constexpr std::string_view name = "crossings";
  static constexpr std::string_view help = "when a column passes another one, or a value";
  static constexpr std::string_view example =
      "crossings tide_gauge.csv --tolerate 1% --of level_m --with 2.5 --stay 1h";

  std::string of{};              ///< must be given
  std::string with{};            ///< a column or a number; must be given
  std::optional<Extent> stay{};  ///< only those after which the new sign holds so long

  friend bool operator==(const Crossings&, const Crossings&) = default;
};

template <typename Visitor, OptionsOf<Crossings> O>
void fields(Visitor&& visit, O& o) {
  visit("of", o.of, "COLUMN", "which column passes");
  visit("with", o.with, "COLUMN|NUMBER", "what it passes: another column, or a value");
  visit("stay", o.stay, "PERIOD|N",
        "only crossings after which it stays on the new side so long: a period, or so many rows");
}

/// A table of crossings, strand by strand, in order of time: the key's column when there is one,
/// `column`, `with`, `at`, `direction` (up or down) and the `value` there.
///
/// `of` less `with` changes its sign between two rows that have both; rows without are passed over.
/// `at` is where the line between them passes zero, to the nanosecond; of rows at which the two are
/// equal the first, when the sign differs before and after. After a crossing the new sign holds
/// until the next crossing, or the strand's last row that has both. With `stay` those that do not
/// hold so long are left out, and change no other.
///
/// Cost: one pass.
/// Throws Error when a column is absent or not numeric.
[[nodiscard]] TableResult crossings(const Timeline& timeline, const Crossings& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Crossings& options) {
  return crossings(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Crossings&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Crossings& options,
                                                                     std::string_view source);
/// The whole strand on both sides: there may be any number of rows without both between two.
[[nodiscard]] Reach reach(const Crossings& options);

}  // namespace v1
}  // namespace zerobeat
