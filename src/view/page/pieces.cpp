#include "view/page/pieces.hpp"

#include <algorithm>
#include <cmath>

#include "base/wide.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

std::vector<Piece> pieces_of(const Timeline& timeline, const Strand& strand, const Column& numbers,
                             Instant first, Instant last, std::size_t pieces) {
  std::vector<Piece> out(std::max<std::size_t>(1, pieces));
  const Wide span = Wide(nanoseconds_of(last)) - nanoseconds_of(first);
  const auto times = timeline.times();
  const auto values = numbers.numbers();
  std::size_t piece = 0;
  Instant until = first;  // of the piece: times ascend, so that it is found once for many rows
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (!numbers.valid(row) || !std::isfinite(values[row])) continue;
    if (times[row] >= until && span > 0) {
      const Wide into = Wide(nanoseconds_of(times[row])) - nanoseconds_of(first);
      piece = std::min(out.size() - 1, static_cast<std::size_t>(into * out.size() / span));
      until = bounded_instant(Wide(nanoseconds_of(first)) +
                              (span * Wide(piece + 1) + Wide(out.size()) - 1) / Wide(out.size()));
    }
    Piece& own = out[piece];
    own.least = own.count == 0 ? values[row] : std::min(own.least, values[row]);
    own.most = own.count == 0 ? values[row] : std::max(own.most, values[row]);
    own.sum += values[row];
    ++own.count;
  }
  return out;
}

}  // namespace zerobeat::detail
