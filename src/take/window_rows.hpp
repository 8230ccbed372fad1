/// Windows as ranges of rows, which both move ahead only.

#pragma once

#include <cstdint>
#include <span>
#include <string_view>
#include <vector>
#include <zerobeat/table/place.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {

namespace detail {

/// Rows [begin, end) within a strand's own rows.
struct RowRange {
  std::uint32_t begin = 0;
  std::uint32_t end = 0;
};

/// The window of each row from `from` until `until` of a strand. A trailing window of a period w
/// is (t - w, t], a leading one [t, t + w), a centred one (t - w/2, t + w/2]; one of N rows ends
/// with its row, starts with it, or has it in the middle, the extra one of an even N before.
std::vector<RowRange> window_rows(std::span<const Instant> strand, const Extent& window,
                                  Place place, const Zone& zone, std::size_t from,
                                  std::size_t until);

/// Throws Error when the window is no length, or a centred one can't be halved.
void check_window(const Extent& window, Place place, std::string_view option);

}  // namespace detail
}  // namespace zerobeat
