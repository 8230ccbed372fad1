/// The common layouts of timestamps by position: yyyy-mm-ddThh:mm:ss with a
/// fraction and an offset or nothing, dates in numbers of ten characters with a
/// clock, and epochs. Made to be inlined into a reader's loop; whatever is not
/// quite of the layout is for the plain reader to judge.

#pragma once

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdint>
#include <cstring>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/eight_digits.hpp"
#include "time/civil_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a layout read, before a zone makes an instant of it.
struct LayoutTime {
  std::int64_t seconds = 0;  ///< as written, less the offset where there is one
  std::int32_t nanoseconds = 0;
  bool has_offset = false;
};

/// The places of a fraction by how many digits it has.
inline constexpr std::array<std::uint32_t, 10> fraction_places{
    1'000'000'000, 100'000'000, 10'000'000, 1'000'000, 100'000, 10'000, 1'000, 100, 10, 1};

/// "12:34:56" as seconds of the day, or -1. Eight bytes at once: with '0' and ':' taken off,
/// digits are 0 to 9 and colons 0.
[[gnu::always_inline]] inline std::int64_t read_clock(const char* p) {
  const std::uint64_t x = load8(p) ^ 0x30303a30303a3030ULL;
  // Digits to 9, tens of minutes and seconds to 5.
  if (((x | (x + 0x060a00060a000606ULL)) & 0xf0f0fff0f0fff0f0ULL) != 0) return -1;
  // Each pair of digits as one number, in the byte of the first.
  const std::uint64_t pairs = x * 10 + (x >> 8);
  const auto h = static_cast<std::int64_t>(pairs & 0xff);
  if (h > 23) return -1;
  return h * 3600 + static_cast<std::int64_t>(pairs >> 24 & 0xff) * 60 +
         static_cast<std::int64_t>(pairs >> 48 & 0xff);
}

/// Z or ±hh:mm at the end of a text, n bytes at p.
inline bool read_tail_offset(const char* p, std::size_t n, LayoutTime& out) {
  out.has_offset = true;
  if (n == 1) return p[0] == 'Z';
  if (n != 6 || p[3] != ':' || (p[0] != '+' && p[0] != '-')) return false;
  const auto digit = [&](std::size_t k) {
    return static_cast<unsigned>(static_cast<unsigned char>(p[k] - '0'));
  };
  if (digit(1) > 9 || digit(2) > 9 || digit(4) > 5 || digit(5) > 9) return false;
  const unsigned hours = digit(1) * 10 + digit(2);
  if (hours > 23) return false;
  const auto offset = static_cast<std::int64_t>(hours * 3600 + (digit(4) * 10 + digit(5)) * 60);
  out.seconds += p[0] == '+' ? -offset : offset;
  return true;
}

/// A fraction of any length up to nine digits, then nothing or an offset.
inline bool read_long_tail(const char* p, std::size_t n, LayoutTime& out) {
  std::size_t i = 0;
  std::uint32_t fraction = 0;
  if (p[0] == '.') {
    const std::size_t first = ++i;
    for (; i < n; ++i) {
      const auto digit = static_cast<unsigned char>(p[i] - '0');
      if (digit > 9) break;
      fraction = fraction * 10 + digit;
      if (i - first >= 9) return false;
    }
    const std::size_t digits = i - first;
    if (digits == 0) return false;
    fraction *= fraction_places[digits];
  }
  out.nanoseconds = static_cast<std::int32_t>(fraction);
  return i == n || read_tail_offset(p + i, n - i, out);
}

/// Reads what may follow the seconds: a fraction of one to nine digits, then nothing, Z or ±hh:mm.
[[gnu::always_inline]] inline bool read_tail(const char* p, std::size_t n, LayoutTime& out) {
  if (n == 0) return true;
  if (n == 4 || n == 5) {
    // Milliseconds, the most common of all: ".fff" at once.
    std::uint32_t x;
    std::memcpy(&x, p, 4);
    x ^= 0x3030302e;
    if (((x | (x + 0x06060600)) & 0xf0f0f0ff) == 0 && (n == 4 || p[4] == 'Z')) {
      out.nanoseconds = static_cast<std::int32_t>(
          ((x >> 8 & 0xf) * 100 + (x >> 16 & 0xf) * 10 + (x >> 24)) * 1'000'000);
      out.has_offset = n == 5;
      return true;
    }
  }
  return read_long_tail(p, n, out);
}

/// Seconds so far from the ends of the range of Instant that no clock and offset reach over them.
inline bool well_in_range(std::int64_t seconds) {
  return seconds > -9'000'000'000 && seconds < 9'000'000'000;
}

/// The last date read, of ten characters, which most timestamps share with the one before.
struct LastDate {
  std::uint64_t head = 0;
  std::uint16_t tail = 0;
  std::int64_t seconds = 0;

  [[gnu::always_inline]] bool holds(const char* p) const {
    std::uint16_t own_tail;
    std::memcpy(&own_tail, p + 8, 2);
    return load8(p) == head && own_tail == tail;
  }
  /// Takes on the date of 10 characters at p, which are so many seconds.
  void keep(const char* p, std::int64_t since_1970) {
    head = load8(p);
    std::memcpy(&tail, p + 8, 2);
    seconds = since_1970;
  }
};

/// What follows a date and the character between: hh:mm, or hh:mm:ss and what may follow it. The
/// text goes on for n bytes from p.
[[gnu::always_inline]] inline bool read_clock_and_tail(const char* p, std::size_t n,
                                                       LayoutTime& out) {
  std::int64_t clock;
  if (n < 8) {
    if (n != 5) return false;
    char whole[8];
    std::memcpy(whole, p, 5);
    std::memcpy(whole + 5, ":00", 3);
    clock = read_clock(whole);
    out.seconds += clock;
    return clock >= 0;
  }
  clock = read_clock(p);
  out.seconds += clock;
  return clock >= 0 && read_tail(p + 8, n - 8, out);
}

class IsoLayout {
 public:
  // The last date is always one: else the text that it starts out as would be read as that.
  IsoLayout() { read_new_date("1970-01-01"); }

  /// Reads n bytes at p. Returns false when they are not of the layout.
  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < 16) return false;
    if (!last_.holds(p)) [[unlikely]] {
      if (!read_new_date(p)) return false;
    }
    if (p[10] != 'T' && p[10] != ' ' && p[10] != 't') return false;
    out.seconds = last_.seconds;
    return read_clock_and_tail(p + 11, n - 11, out);
  }

  /// Whether `seconds` are nanoseconds already.
  static constexpr bool makes_instants = false;
  /// The date of the text read last.
  std::int64_t date() const { return last_.seconds; }
  void accepted(std::size_t) {}
  void settle(TimestampCounts&) {}

 private:
  [[gnu::noinline]] bool read_new_date(const char* p) {
    if (p[4] != '-' || p[7] != '-') return false;
    TimestampReader::Civil civil;
    if (read_iso({p, 10}, civil) != TimeVerdict::ok || !well_in_range(civil.seconds)) return false;
    last_.keep(p, civil.seconds);
    return true;
  }

  LastDate last_;
};

/// Dates in numbers of ten characters, 26/10/2025 or 2025/10/26, then a space or T and hh:mm or
/// hh:mm:ss and what may follow.
class DatedLayout {
 public:
  explicit DatedLayout(DateOrder order) : order_(order) {
    read_new_date(order == DateOrder::ymd ? "1970/01/01" : "01/01/1970");
  }

  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < 16) return false;
    if (!last_.holds(p)) [[unlikely]] {
      if (!read_new_date(p)) return false;
    }
    if (p[10] != ' ' && p[10] != 'T') return false;
    out.seconds = last_.seconds;
    return read_clock_and_tail(p + 11, n - 11, out);
  }

  static constexpr bool makes_instants = false;
  std::int64_t date() const { return last_.seconds; }
  void accepted(std::size_t texts) { cells_ += static_cast<std::int64_t>(texts); }

  void settle(TimestampCounts& counts) {
    flush();
    counts.add(done_);
    done_ = {};
  }

 private:
  [[gnu::noinline]] bool read_new_date(const char* p) {
    TimestampReader::Civil civil;
    DateProof proof;
    if (read_dated({p, 10}, order_, civil, proof) != TimeVerdict::ok) return false;
    if (!well_in_range(civil.seconds)) return false;
    flush();
    proof_ = proof;
    last_.keep(p, civil.seconds);
    return true;
  }

  void flush() {
    done_.date_orders[proof_.fits] += cells_;
    for (std::size_t i = 0; i < 3; ++i) {
      if ((proof_.differ >> i & 1U) != 0) done_.differ[i] += cells_;
    }
    cells_ = 0;
  }

  DateOrder order_;
  LastDate last_;
  DateProof proof_;         // of the last date
  std::int64_t cells_ = 0;  // that had it
  TimestampCounts done_;
};

/// Whole epochs of as many digits as their unit has from 2001 to 2286: 10 of seconds, 13, 16 and 19
/// of the smaller ones; of seconds, a fraction too.
template <std::size_t digits>
class EpochLayout {
 public:
  /// `out.seconds` becomes nanoseconds.
  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < digits || p[0] < '1' || p[0] > '8') return false;
    // The last eight digits at once, and those before them.
    std::uint64_t high = 0, low = 0;
    if (!eight_digits(load8(p + digits - 8), low)) return false;
    if constexpr (digits == 10) {
      const auto tens = static_cast<unsigned char>(p[0] - '0');
      const auto ones = static_cast<unsigned char>(p[1] - '0');
      if (ones > 9) return false;
      high = tens * 10U + ones;
    } else if constexpr (digits == 13) {
      constexpr std::uint64_t zeros = 0x303030;
      if (!eight_digits((load8(p) << 24) | zeros, high)) return false;
    } else {
      if (!eight_digits(load8(p + digits - 16), high)) return false;
      for (std::size_t i = 0; i + 16 < digits; ++i) {
        const auto digit = static_cast<unsigned char>(p[i] - '0');
        if (digit > 9) return false;
        constexpr std::uint64_t places[] = {10'000'000'000, 1'000'000'000, 100'000'000};
        high += digit * places[i];
      }
    }
    const std::uint64_t value = high * 100'000'000 + low;
    last_ = value;
    out.seconds = static_cast<std::int64_t>(value * unit);
    out.has_offset = true;
    if (n == digits) return true;
    if (digits != 10 || p[digits] != '.') return false;
    // A fraction alone: an offset has no place behind it.
    out.has_offset = false;
    const bool good = read_tail(p + digits, n - digits, out) && !out.has_offset;
    out.has_offset = true;
    return good;
  }

  static constexpr bool makes_instants = true;
  /// The text read last is one of the counted.
  void accepted(std::size_t) {
    ++cells_;
    smallest_ = std::min(smallest_, last_);
    largest_ = std::max(largest_, last_);
  }

  void settle(TimestampCounts& counts) {
    if (cells_ == 0) return;
    counts.magnitudes[(digits - 10) / 3].add(cells_, static_cast<double>(smallest_),
                                             static_cast<double>(largest_));
    cells_ = 0;
  }

 private:
  static constexpr std::uint64_t unit = digits == 10   ? 1'000'000'000
                                        : digits == 13 ? 1'000'000
                                        : digits == 16 ? 1'000
                                                       : 1;
  std::uint64_t last_ = 0;
  std::uint64_t smallest_ = ~std::uint64_t{0};
  std::uint64_t largest_ = 0;
  std::int64_t cells_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
