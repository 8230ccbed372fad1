/// Peaks: the readings that stand out above those on both sides, or below them.
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
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Peaks {
  static constexpr std::string_view name = "peaks";
  static constexpr std::string_view help = "where readings are highest or lowest, and by how much";
  static constexpr std::string_view example =
      "peaks tide_gauge.csv --tolerate 1% --on level_m --kind both --prominence 1 --apart 3h";

  enum class Kind { peaks, troughs, both };

  std::vector<std::string> on{};  ///< empty: every numeric column
  Kind kind = Kind::peaks;
  double prominence = 0;          ///< at least
  std::optional<double> above{};  ///< of the reading itself
  std::optional<double> below{};
  std::optional<Extent> apart{};  ///< of peaks nearer to a higher one none is kept

  friend bool operator==(const Peaks&, const Peaks&) = default;
};

[[nodiscard]] constexpr auto enum_words(Peaks::Kind) {
  return std::array<std::string_view, 3>{"peaks", "troughs", "both"};
}

template <typename Visitor, OptionsOf<Peaks> O>
void fields(Visitor&& visit, O& o) {
  visit("on", o.on, "A,B", "which columns; unset: every numeric one");
  visit("kind", o.kind, choices(Peaks::Kind{}), "highest readings, lowest ones, or both");
  visit("prominence", o.prominence, "P",
        "how far a peak stands above the higher of the lowest readings between it and a higher one "
        "on either side, at least");
  visit("above", o.above, "V", "only those whose reading is above this");
  visit("below", o.below, "V", "only those whose reading is below this");
  visit("apart", o.apart, "PERIOD|N",
        "nearer than that to a higher one, in time or in rows, none is kept");
}

/// A table of peaks, strand by strand, column by column, in order of time: the key's column when
/// there is one, `column`, `kind` (peak or trough), `at`, `value` as read, `prominence` and
/// `width_s`.
///
/// A peak is a reading, or a run of equal ones (then its middle, of two the earlier), that is
/// higher than the readings on both sides; missing ones are passed over, and a strand's ends are
/// none. Its prominence is its height above the higher of the two lowest readings that lie between
/// it and the nearest higher one on either side, or the strand's end; its width is the time at half
/// the prominence below it, by lines between readings. A trough is a peak of the negated column.
/// The other filters come before `apart`: of two peaks that are nearer the higher stays, of equal
/// ones the earlier.
///
/// Cost: one pass over each column and strand, and the logarithm of the number of peaks for the
/// width of each that is kept.
/// Throws Error when a named column is absent or not numeric, or an option is out of range.
[[nodiscard]] TableResult peaks(const Timeline& timeline, const Peaks& options = {});

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Peaks& options) {
  return peaks(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Peaks&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Peaks& options,
                                                                     std::string_view source);
/// The whole strand on both sides: that is how far a higher reading may be.
[[nodiscard]] Reach reach(const Peaks& options);

}  // namespace v1
}  // namespace zerobeat
