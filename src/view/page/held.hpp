/// What a page holds of a column for its script: its pieces, and the readings themselves where
/// something happened.

#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "view/page/pair.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Rows of a strand, `[begin, end)` from its first.
struct HeldRange {
  std::size_t begin = 0, end = 0;

  friend bool operator==(const HeldRange&, const HeldRange&) = default;
};

/// The rows by which something happened, what matters most first: the least and the greatest
/// reading, findings, changes, gaps of records and of readings, the longest first, and records at
/// fault.
[[nodiscard]] std::vector<HeldRange> close_ups(const Pair& pair,
                                               std::span<const PageChange> changes);

/// Those with `around` rows on either side, as many as make `most` rows together; in order, and
/// none meets another. `left_out` is how many of them have no place.
[[nodiscard]] std::vector<HeldRange> held_rows(std::span<const HeldRange> wanted, std::size_t rows,
                                               std::size_t around, std::size_t most,
                                               std::size_t& left_out);

struct Held {
  std::string attributes{};  ///< of the figure
  std::size_t left_out = 0;  ///< close-ups that had no room
  bool all = false;          ///< every reading is held
};

/// Within so many bytes of the page:
/// ` data-stretches`, float64: of each stretch its number of rows, then their times, then the
/// readings, NaN where one is missing; times as nanoseconds after the first of the strand, or as
/// numbers of the elapsed unit. ` data-pieces`, float32: the least, greatest and mean of each of
/// the equal pieces of time, NaN of none; left out when every reading is held.
[[nodiscard]] Held held_of(const Pair& pair, std::span<const PageChange> changes,
                           std::size_t bytes);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
