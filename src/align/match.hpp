/// Matching: which right record goes with each left row.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/align/join.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// For each left row the right row that goes with it, or -1. Under Match::linear also the record
/// after it (-1: none is needed, the record is at the very time) and how far on the way to it.
struct Matches {
  Buffer<std::int64_t> rows;
  Buffer<std::int64_t> after;  ///< of linear; else empty
  Buffer<double> share;        ///< of linear; else empty
};

/// `strand_of[s]` is the right strand that goes with left strand s, or null. Both sides advance;
/// nothing is searched for but where a part begins. Parts are matched side by side.
Matches match_rows(const Timeline& left, const Timeline& right,
                   const std::vector<const Strand*>& strand_of, const Join& options);

/// A numeric right column at left rows: of `rows[i]` alone, or on the line from it to `after[i]`,
/// `share[i]` of the way; missing where one of them is.
Column blend(const Column& column, std::span<const std::int64_t> rows,
             std::span<const std::int64_t> after, std::span<const double> share);

/// What became of a right side.
struct MatchSummary {
  std::int64_t matched = 0, unmatched = 0;     ///< left rows
  std::int64_t never_used = 0;                 ///< right records
  std::vector<std::uint8_t> used;              ///< of each right row
  double median_age_s = 0, largest_age_s = 0;  ///< of matched records, whichever side of the row
};

MatchSummary summary_of(const Timeline& left, const Timeline& right, const Matches& matches);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
