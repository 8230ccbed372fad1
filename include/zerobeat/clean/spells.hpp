/// Spells: the stretches of a strand in which a condition holds.
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
#include <zerobeat/take/take.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Spells {
  static constexpr std::string_view name = "spells";
  static constexpr std::string_view help = "when a condition held, and for how long";
  static constexpr std::string_view example =
      "spells tide_gauge.csv --tolerate 1% --where 'level_m > 4' --bridge 15min --take "
      "'max(level_m)'";
  static constexpr TakenBy takes = TakenBy::spells;

  Expression where{};                ///< must be given
  std::optional<Period> at_least{};  ///< shorter ones are left out
  std::optional<Period> bridge{};    ///< interruptions of at most this are passed over
  std::vector<Take> take{};          ///< of each spell's rows; empty: none

  friend bool operator==(const Spells&, const Spells&) = default;
};

template <typename Visitor, OptionsOf<Spells> O>
void fields(Visitor&& visit, O& o) {
  visit("where", o.where, "CONDITION", "rows at which it holds, like 'level_m > 4'");
  visit("at-least", o.at_least, "PERIOD", "shorter spells are left out");
  visit("bridge", o.bridge, "PERIOD", "interruptions of at most this are passed over");
  visit("take", o.take, "TAKES", "statistics of each spell, like max(level_m)");
}

/// One spell: rows [begin, end) of a strand.
struct Spell {
  std::size_t strand = 0;
  std::size_t begin = 0, end = 0;
  Instant from{};  ///< the time of its first row
  Instant to{};    ///< of the first row at which it no longer holds; at the strand's end the last
                   ///< time and a typical step
};

/// The spells of a timeline, strand by strand in order of time. What interrupts a spell for no
/// longer than `bridge`, from `to` to the next `from`, belongs to it. A condition that is missing
/// does not hold; `not_finite` as rows_where() has it.
///
/// Cost: see rows_where(); then a pass over its bits.
/// Throws Error when there is no condition, or it can't be bound.
[[nodiscard]] std::vector<Spell> find_spells(const Timeline& timeline, const Spells& options,
                                             std::int64_t* not_finite = nullptr);

/// A table of them: the key's column when there is one, `from`, `to`, `duration_s`, `rows`, and a
/// column for each take, of the rows from the first to the last. Statistics are those of a profile.
/// Throws Error as find_spells() and resample() do.
[[nodiscard]] TableResult spells(const Timeline& timeline, const Spells& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Spells& options) {
  return spells(in[0], options);
}
[[nodiscard]] inline bool makes_table(const Spells&) { return true; }
[[nodiscard]] std::optional<std::vector<std::string>> columns_needed(const Spells& options,
                                                                     std::string_view source);
/// The whole strand on both sides.
[[nodiscard]] Reach reach(const Spells& options);

}  // namespace v1
}  // namespace zerobeat
