/// The common layout of ISO 8601 by position: yyyy-mm-ddThh:mm:ss, a fraction of
/// up to nine digits, and Z or nothing. Made to be inlined into a reader's loop;
/// whatever is not quite that layout is for the plain reader to judge.

#pragma once

#include <chrono>
#include <cstdint>
#include <cstring>

namespace zerobeat::detail {

inline std::uint64_t load8(const char* p) {
  std::uint64_t value;
  std::memcpy(&value, p, 8);
  return value;
}

/// "12:34:56" as seconds of the day, or -1. Eight bytes at once: with '0' and ':' taken off,
/// digits are 0 to 9 and colons 0.
inline std::int64_t read_clock(const char* p) {
  const std::uint64_t x = load8(p) ^ 0x30303a30303a3030ULL;
  if ((x & 0xf0f0fff0f0fff0f0ULL) != 0) return -1;
  if (((x + 0x0606000606000606ULL) & 0xf0f000f0f000f0f0ULL) != 0) return -1;
  // Each pair of digits as one number, in the byte of the first.
  const std::uint64_t pairs = x * 10 + (x >> 8);
  const auto h = static_cast<std::int64_t>(pairs & 0xff);
  const auto m = static_cast<std::int64_t>(pairs >> 24 & 0xff);
  const auto s = static_cast<std::int64_t>(pairs >> 48 & 0xff);
  if (h > 23 || m > 59 || s > 59) return -1;
  return h * 3600 + m * 60 + s;
}

/// "2025-10-26" as seconds since 1970, or false.
inline bool read_date(const char* p, std::int64_t& seconds) {
  const auto digit = [&](int i) { return static_cast<unsigned>(p[i] - '0'); };
  for (const int i : {0, 1, 2, 3, 5, 6, 8, 9}) {
    if (digit(i) > 9) return false;
  }
  if (p[4] != '-' || p[7] != '-') return false;
  using namespace std::chrono;
  const year_month_day date{
      year(static_cast<int>(digit(0) * 1000 + digit(1) * 100 + digit(2) * 10 + digit(3))),
      month(digit(5) * 10 + digit(6)), day(digit(8) * 10 + digit(9))};
  if (!date.ok()) return false;
  seconds = sys_seconds(sys_days(date)).time_since_epoch().count();
  return true;
}

/// Remembers the last date read, which most timestamps share with the one before.
class IsoLayout {
 public:
  struct Result {
    std::int64_t seconds = 0;  ///< as written
    std::int32_t nanoseconds = 0;
    bool has_offset = false;  ///< Z
  };

  /// Reads n bytes at p. Returns false when they are not of the layout.
  [[gnu::always_inline]] bool read(const char* p, std::size_t n, Result& out) {
    if (n < 19) return false;
    std::uint16_t tail;
    std::memcpy(&tail, p + 8, 2);
    const std::uint64_t head = load8(p);
    if (head != date_head_ || tail != date_tail_) {
      std::int64_t seconds;
      if (!read_date(p, seconds)) return false;
      date_head_ = head;
      date_tail_ = tail;
      date_seconds_ = seconds;
    }
    if (p[10] != 'T' && p[10] != ' ' && p[10] != 't') return false;
    const std::int64_t clock = read_clock(p + 11);
    if (clock < 0) return false;
    out.seconds = date_seconds_ + clock;
    if (n == 24 && p[19] == '.' && p[23] == 'Z') {  // milliseconds, the most common of all
      const unsigned a = static_cast<unsigned char>(p[20] - '0');
      const unsigned b = static_cast<unsigned char>(p[21] - '0');
      const unsigned c = static_cast<unsigned char>(p[22] - '0');
      out.nanoseconds = static_cast<std::int32_t>((a * 100 + b * 10 + c) * 1'000'000);
      out.has_offset = true;
      return a <= 9 && b <= 9 && c <= 9;
    }
    std::size_t i = 19;
    std::uint32_t fraction = 0;
    if (i < n && p[i] == '.') {
      const std::size_t first = ++i;
      for (; i < n; ++i) {
        const auto digit = static_cast<unsigned char>(p[i] - '0');
        if (digit > 9) break;
        fraction = fraction * 10 + digit;
      }
      const std::size_t digits = i - first;
      if (digits == 0 || digits > 9) return false;
      constexpr std::uint32_t places[] = {
          1'000'000'000, 100'000'000, 10'000'000, 1'000'000, 100'000, 10'000, 1'000, 100, 10, 1};
      fraction *= places[digits];
    }
    out.nanoseconds = static_cast<std::int32_t>(fraction);
    out.has_offset = i < n && p[i] == 'Z';
    return i + out.has_offset == n;
  }

 private:
  std::uint64_t date_head_ = 0;
  std::uint16_t date_tail_ = 0;
  std::int64_t date_seconds_ = 0;
};

}  // namespace zerobeat::detail
