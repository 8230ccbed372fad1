/// Applying a step stretch by stretch, to a timeline that need not be in memory as a whole.
///
/// One thread at a time may use one.

#pragma once

#include <functional>
#include <optional>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A step at work on stretches of a timeline, one after the other. What comes of it is, byte for
/// byte, what the step makes of the whole.
struct StretchWork {
  /// Takes the next rows of each strand, behind those that were held back before. Returns for each
  /// strand of `stretch` from which time on its rows are held back: they come again with the next
  /// stretch. With `is_last` nothing is. Unset: it can't go on this way (a row belongs before what
  /// was done already, a column has another type than before), and the whole must be looked at.
  std::function<std::optional<std::vector<Instant>>(const Timeline& stretch, bool is_last)> take{};
  /// What the step makes of the whole; `head` has its names, zone, axis and account, and no rows,
  /// of which there were `rows_in`. To be called once, after the last stretch.
  std::function<Made(const Timeline& head, std::int64_t rows_in)> finish{};
};

}  // namespace v1
}  // namespace zerobeat
