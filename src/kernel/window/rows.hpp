/// Windows as ranges of rows.

#pragma once

#include <cstdint>
#include <span>
#include <string_view>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/place.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

namespace detail {

/// Rows [begin, end) within a strand's own rows.
struct RowRange {
  std::uint32_t begin = 0;
  std::uint32_t end = 0;
};

/// Where the windows of a period begin and end: in instants.
class WindowEdges {
 public:
  WindowEdges(const Period& period, Place place, const Zone& zone);

  /// A trailing or centred window is what comes after low and up to high, a leading one from low
  /// on, before high. Local times go as in shift(): skipped ones forward, so that edges may go back
  /// where clocks change.
  Instant low(Instant t) const;
  Instant high(Instant t) const;
  /// Whether an edge lies beyond all instants; then low() and high() are the outermost ones.
  bool begins_before_all(Instant t) const;
  bool ends_after_all(Instant t) const;
  bool holds_low() const { return place_ == Place::leading; }

 private:
  Instant half_shift(Instant t, int times) const;

  Period period_, half_{};
  Place place_;
  Zone zone_;
};

/// Calls run(from, until) for stretches of windows that move ahead only: all of them, but where
/// clocks change.
template <typename Run>
void over_ascending(std::span<const RowRange> windows, Run&& run) {
  for (std::size_t from = 0; from < windows.size();) {
    std::size_t until = from + 1;
    while (until < windows.size() && windows[until].begin >= windows[until - 1].begin &&
           windows[until].end >= windows[until - 1].end) {
      ++until;
    }
    run(from, until);
    from = until;
  }
}

/// The window of each row from `from` until `until` of a strand. A trailing window of a period w
/// is (t - w, t], a leading one [t, t + w), a centred one (t - w/2, t + w/2]; one of N rows ends
/// with its row, starts with it, or has it in the middle, the extra one of an even N before.
Buffer<RowRange> window_rows(std::span<const Instant> strand, const Extent& window, Place place,
                             const Zone& zone, std::size_t from, std::size_t until);

/// Throws Error when the window is no length, or a centred one can't be halved.
void check_window(const Extent& window, Place place, std::string_view option);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
