/// Pieces of time: a column of a strand as the least, greatest and mean of each equal piece.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Piece {
  double least = 0, most = 0, sum = 0;
  std::int64_t count = 0;  ///< readings

  [[nodiscard]] double mean() const { return sum / static_cast<double>(count); }
};

/// The readings of a strand in so many equal pieces of [first, last]; the last instant is the last
/// piece's. Readings that are missing or not finite count nowhere. Cost: one pass.
std::vector<Piece> pieces_of(const Timeline& timeline, const Strand& strand, const Column& numbers,
                             Instant first, Instant last, std::size_t pieces);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
