/// Instants as text, one after the other: what the last one's minute says is kept for the next.

#pragma once

#include <cstdint>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Writes instants as write_instant() does, with the same digits and zone each time. One thread.
class InstantText {
 public:
  explicit InstantText(int digits = 0, const Zone* zone = nullptr) : zone_(zone), digits_(digits) {}

  /// Writes `t`; `out` has room for longest_instant characters. Returns the end of the text.
  char* write(char* out, Instant t);

 private:
  char* write_plainly(char* out, Instant t);

  const Zone* zone_;
  int digits_;
  std::int64_t from_ = 0;  ///< the minute: [from, from + length)
  std::uint64_t length_ = 0;
  char start_[24] = {};  ///< of a text in it, up to the seconds
  char end_[8] = {};     ///< its offset
  std::uint32_t end_size_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
