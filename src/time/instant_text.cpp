#include "time/instant_text.hpp"

#include <algorithm>
#include <cstring>
#include <zerobeat/time/zone.hpp>

#include "base/decimal_text.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t start_size = 17;  // yyyy-mm-ddThh:mm:
constexpr std::int64_t second_ns = 1'000'000'000, minute_ns = 60 * second_ns;

/// How far the minute of `t` reaches whose clock has the same offset all through; 0: it does not.
std::uint64_t minute_length(Instant t, const Zone* zone) {
  const std::int64_t at = nanoseconds_of(t);
  if (at < -9'000'000'000 * second_ns || at > 9'000'000'000 * second_ns) return 0;
  if (zone == nullptr) return minute_ns;
  const auto from = std::chrono::floor<std::chrono::minutes>(t);
  const auto stretch = zone->offset_stretch(from);
  // Of local mean times minutes begin elsewhere.
  if (stretch.offset.count() % 60 != 0) return 0;
  const auto last = std::chrono::sys_seconds(from) + std::chrono::seconds(59);
  return zone->offset_stretch(last).offset == stretch.offset ? minute_ns : 0;
}

}  // namespace

char* InstantText::write_plainly(char* out, Instant t) {
  char* const end = write_instant(out, t, digits_, zone_);
  length_ = minute_length(t, zone_);
  if (length_ == 0) return end;
  from_ = nanoseconds_of(std::chrono::floor<std::chrono::minutes>(t));
  std::memcpy(start_, out, start_size);
  const char* const offset = out + start_size + 2 + (digits_ > 0 ? digits_ + 1 : 0);
  end_size_ = static_cast<std::uint32_t>(end - offset);
  std::memcpy(end_, offset, end_size_);
  return end;
}

char* InstantText::write(char* out, Instant t) {
  const std::uint64_t past =
      static_cast<std::uint64_t>(nanoseconds_of(t)) - static_cast<std::uint64_t>(from_);
  if (past >= length_) return write_plainly(out, t);
  std::memcpy(out, start_, sizeof(start_));
  out = write_two_digits(out + start_size, static_cast<std::uint32_t>(past / second_ns));
  if (digits_ > 0) {
    const auto fraction = static_cast<std::uint32_t>(past % second_ns);
    *out++ = '.';
    // Nine digits are the first and eight more; what is not asked for is written over.
    *out = static_cast<char>('0' + fraction / 100'000'000);
    const std::uint64_t others = eight_digit_bytes(fraction % 100'000'000) + eight_zeros;
    std::memcpy(out + 1, &others, 8);
    out += digits_;
  }
  std::memcpy(out, end_, sizeof(end_));
  return out + end_size_;
}

}  // namespace zerobeat::detail
