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
#include <limits>
#include <zerobeat/time/timestamp.hpp>

#include "time/civil_text.hpp"

namespace zerobeat::detail {

/// What a layout read, before a zone makes an instant of it.
struct LayoutTime {
  std::int64_t seconds = 0;  ///< as written, less the offset where there is one
  std::int32_t nanoseconds = 0;
  bool has_offset = false;
};

inline std::uint64_t load8(const char* p) {
  std::uint64_t value;
  std::memcpy(&value, p, 8);
  return value;
}

/// Eight digits as a number, or false. `x` holds them, the first in the lowest byte.
inline bool eight_digits(std::uint64_t x, std::uint64_t& out) {
  x ^= 0x3030303030303030ULL;
  if (((x | (x + 0x0606060606060606ULL)) & 0xf0f0f0f0f0f0f0f0ULL) != 0) return false;
  x = x * 10 + (x >> 8);  // pairs
  x = (((x & 0x000000ff000000ffULL) * 0x000f424000000064ULL) +
       (((x >> 16) & 0x000000ff000000ffULL) * 0x0000271000000001ULL)) >>
      32;
  out = x & 0xffffffffULL;
  return true;
}

/// "12:34:56" as seconds of the day, or -1. Eight bytes at once: with '0' and ':' taken off,
/// digits are 0 to 9 and colons 0.
inline std::int64_t read_clock(const char* p) {
  const std::uint64_t x = load8(p) ^ 0x30303a30303a3030ULL;
  if (((x | (x + 0x0606000606000606ULL)) & 0xf0f0fff0f0fff0f0ULL) != 0) return -1;
  // Each pair of digits as one number, in the byte of the first.
  const std::uint64_t pairs = x * 10 + (x >> 8);
  const auto h = static_cast<std::int64_t>(pairs & 0xff);
  const auto m = static_cast<std::int64_t>(pairs >> 24 & 0xff);
  const auto s = static_cast<std::int64_t>(pairs >> 48 & 0xff);
  if (h > 23 || m > 59 || s > 59) return -1;
  return h * 3600 + m * 60 + s;
}

/// The places of a fraction by how many digits it has.
inline constexpr std::array<std::uint32_t, 10> fraction_places{
    1'000'000'000, 100'000'000, 10'000'000, 1'000'000, 100'000, 10'000, 1'000, 100, 10, 1};

/// Reads what may follow the seconds: a fraction of one to nine digits, then nothing, Z or ±hh:mm.
[[gnu::always_inline]] inline bool read_tail(const char* p, std::size_t n, LayoutTime& out) {
  if (n == 5 && p[0] == '.' && p[4] == 'Z') {  // milliseconds, the most common of all
    const unsigned a = static_cast<unsigned char>(p[1] - '0');
    const unsigned b = static_cast<unsigned char>(p[2] - '0');
    const unsigned c = static_cast<unsigned char>(p[3] - '0');
    out.nanoseconds = static_cast<std::int32_t>((a * 100 + b * 10 + c) * 1'000'000);
    out.has_offset = true;
    return a <= 9 && b <= 9 && c <= 9;
  }
  std::size_t i = 0;
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
    fraction *= fraction_places[digits];
  }
  out.nanoseconds = static_cast<std::int32_t>(fraction);
  out.has_offset = false;
  if (i == n) return true;
  if (p[i] == 'Z') {
    out.has_offset = true;
    return i + 1 == n;
  }
  if (i + 6 != n || p[i + 3] != ':' || (p[i] != '+' && p[i] != '-')) return false;
  const auto digit = [&](std::size_t k) {
    return static_cast<unsigned>(static_cast<unsigned char>(p[i + k] - '0'));
  };
  if (digit(1) > 9 || digit(2) > 9 || digit(4) > 5 || digit(5) > 9) return false;
  const unsigned hours = digit(1) * 10 + digit(2);
  if (hours > 23) return false;
  const auto offset = static_cast<std::int64_t>(hours * 3600 + (digit(4) * 10 + digit(5)) * 60);
  out.seconds += p[i] == '+' ? -offset : offset;
  out.has_offset = true;
  return true;
}

/// The last date read, which most timestamps share with the one before.
struct LastDate {
  std::uint64_t head = 0;
  std::uint16_t tail = 0;
  std::int64_t seconds = 0;

  [[gnu::always_inline]] bool holds(const char* p) const {
    std::uint16_t own_tail;
    std::memcpy(&own_tail, p + 8, 2);
    return load8(p) == head && own_tail == tail;
  }
  void keep(const char* p, std::int64_t date_seconds) {
    head = load8(p);
    std::memcpy(&tail, p + 8, 2);
    seconds = date_seconds;
  }
};

class IsoLayout {
 public:
  /// Reads n bytes at p. Returns false when they are not of the layout.
  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < 19) return false;
    if (!date_.holds(p)) [[unlikely]] {
      if (!read_new_date(p)) return false;
    }
    if (p[10] != 'T' && p[10] != ' ' && p[10] != 't') return false;
    const std::int64_t clock = read_clock(p + 11);
    if (clock < 0) return false;
    out.seconds = date_.seconds + clock;
    return read_tail(p + 19, n - 19, out);
  }

  void accepted() {}
  void settle(TimestampCounts&) {}

 private:
  [[gnu::noinline]] bool read_new_date(const char* p) {
    if (p[4] != '-' || p[7] != '-') return false;
    TimestampReader::Civil civil;
    if (read_iso({p, 10}, civil) != TimeVerdict::ok) return false;
    date_.keep(p, civil.seconds);
    return true;
  }

  LastDate date_;
};

/// Dates in numbers of ten characters, 26/10/2025 or 2025/10/26, then a space or T and hh:mm or
/// hh:mm:ss and what may follow.
class DatedLayout {
 public:
  explicit DatedLayout(DateOrder order) : order_(order) {}

  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < 16) return false;
    if (!date_.holds(p)) [[unlikely]] {
      if (!read_new_date(p)) return false;
    }
    if (p[10] != ' ' && p[10] != 'T') return false;
    if (n == 16) {
      char clock[8];
      std::memcpy(clock, p + 11, 5);
      std::memcpy(clock + 5, ":00", 3);
      const std::int64_t seconds = read_clock(clock);
      out = {date_.seconds + seconds, 0, false};
      return seconds >= 0;
    }
    if (n < 19) return false;
    const std::int64_t clock = read_clock(p + 11);
    if (clock < 0) return false;
    out.seconds = date_.seconds + clock;
    return read_tail(p + 19, n - 19, out);
  }

  void accepted() { ++cells_; }

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
    flush();
    proof_ = proof;
    date_.keep(p, civil.seconds);
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
  LastDate date_;
  DateProof proof_;         // of the last date
  std::int64_t cells_ = 0;  // that had it
  TimestampCounts done_;
};

/// Whole epochs of as many digits as their unit has from 2001 to 2286; of seconds, a fraction too.
class EpochLayout {
 public:
  explicit EpochLayout(std::int64_t unit) : unit_(unit) {
    for (std::int64_t u = unit; u < 1'000'000'000; u *= 10) ++digits_;
  }

  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < digits_ || p[0] < '1' || p[0] > '8') return false;
    std::uint64_t value = 0, low = 0;
    if (!eight_digits(load8(p), value)) return false;
    std::size_t i = 8;
    if (digits_ >= 16) {
      if (!eight_digits(load8(p + 8), low)) return false;
      value = value * 100'000'000 + low;
      i = 16;
    }
    for (; i < digits_; ++i) {
      const auto digit = static_cast<unsigned char>(p[i] - '0');
      if (digit > 9) return false;
      value = value * 10 + digit;
    }
    last_ = value;
    // Dividing by a constant is a multiplication; by the unit it would not be.
    const std::uint64_t nanoseconds = value * static_cast<std::uint64_t>(unit_);
    out.seconds = static_cast<std::int64_t>(nanoseconds / 1'000'000'000);
    out.nanoseconds = static_cast<std::int32_t>(nanoseconds % 1'000'000'000);
    if (n > digits_) {
      if (unit_ != 1'000'000'000 || p[digits_] != '.') return false;
      if (!read_tail(p + digits_, n - digits_, out) || out.has_offset) return false;
    }
    out.has_offset = true;
    return true;
  }

  void accepted() {
    ++cells_;
    smallest_ = std::min(smallest_, last_);
    largest_ = std::max(largest_, last_);
  }

  void settle(TimestampCounts& counts) {
    if (cells_ == 0) return;
    std::size_t unit = 0;
    for (std::int64_t u = unit_; u < 1'000'000'000; u *= 1000) ++unit;
    counts.magnitudes[unit].add(cells_, static_cast<double>(smallest_),
                                static_cast<double>(largest_));
    cells_ = 0;
  }

 private:
  std::int64_t unit_;
  std::size_t digits_ = 10;
  std::uint64_t last_ = 0;
  std::uint64_t smallest_ = ~std::uint64_t{0};
  std::uint64_t largest_ = 0;
  std::int64_t cells_ = 0;
};

/// From local time to UTC: the stretch met last is remembered, so that a row costs a compare.
class LocalOffsets {
 public:
  explicit LocalOffsets(const Zone& zone) : zone_(zone) {
    if (!zone.is_utc()) return;
    from_ = std::numeric_limits<std::int64_t>::min() / 4;
    length_ = std::numeric_limits<std::uint64_t>::max() / 4;
  }

  /// Takes the offset off. Returns false for repeated and skipped times.
  [[gnu::always_inline]] bool to_utc(std::int64_t& seconds) {
    if (static_cast<std::uint64_t>(seconds - from_) >= length_) [[unlikely]] {
      if (!look_up(seconds)) return false;
    }
    seconds -= offset_;
    return true;
  }

 private:
  [[gnu::noinline]] bool look_up(std::int64_t seconds) {
    constexpr std::int64_t furthest = 10'000'000'000;  // beyond it, nothing is in range
    if (seconds > furthest || seconds < -furthest) return false;
    const auto stretch = zone_.stretch(std::chrono::local_seconds{std::chrono::seconds(seconds)});
    if (stretch.kind != Zone::LocalStretch::Kind::unique) return false;
    from_ = std::max(stretch.from.time_since_epoch().count(), -furthest);
    length_ = static_cast<std::uint64_t>(
        std::min(stretch.until.time_since_epoch().count(), furthest) - from_);
    offset_ = stretch.offset.count();
    return true;
  }

  const Zone& zone_;
  std::int64_t from_ = 0;
  std::uint64_t length_ = 0;
  std::int64_t offset_ = 0;
};

/// Reads `count` texts by one layout, and judges them. `good(i, nanoseconds, has_offset)` takes
/// those that are of the layout and within the limits; all others go to `other(i)`.
template <typename Layout, typename TextAt, typename Good, typename Other>
void read_by_layout(Layout& layout, const TimestampOptions& options, std::size_t count,
                    TimestampCounts& counts, TextAt&& text_at, Good&& good, Other&& other) {
  LocalOffsets offsets(options.zone);
  const std::int64_t earliest = options.earliest ? nanoseconds_of(*options.earliest)
                                                 : std::numeric_limits<std::int64_t>::min();
  const std::int64_t latest =
      options.latest ? nanoseconds_of(*options.latest) : std::numeric_limits<std::int64_t>::max();
  // Seconds well within the range of Instant.
  constexpr std::int64_t furthest = 9'000'000'000;
  std::int64_t with_offset = 0, read = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const std::string_view text = text_at(i);
    LayoutTime time;
    if (layout.read(text.data(), text.size(), time) &&
        (time.has_offset || offsets.to_utc(time.seconds)) &&
        static_cast<std::uint64_t>(time.seconds + furthest) < 2 * furthest) {
      const std::int64_t t = time.seconds * 1'000'000'000 + time.nanoseconds;
      if (t >= earliest && t <= latest) {
        with_offset += time.has_offset;
        ++read;
        layout.accepted();
        good(i, t, time.has_offset);
        continue;
      }
    }
    other(i);
  }
  layout.settle(counts);
  counts.with_offset += with_offset;
  counts.without_offset += read - with_offset;
}

/// Whether some layout reads most of what is of this format, and nothing else does: with a second
/// format, only when no text is of both.
inline bool has_layout(const TimestampOptions& options) {
  using Kind = TimeFormat::Kind;
  const auto is_epoch = [](Kind kind) {
    return kind == Kind::epoch_s || kind == Kind::epoch_ms || kind == Kind::epoch_us ||
           kind == Kind::epoch_ns;
  };
  const Kind kind = options.format.kind;
  if (kind != Kind::iso && kind != Kind::dated && !is_epoch(kind)) return false;
  if (!options.also) return true;
  const Kind also = options.also->kind;
  if (also == Kind::pattern) return false;
  if (kind == Kind::iso) return true;
  if (kind == Kind::dated) return also != Kind::dated;
  return also == Kind::iso || also == Kind::dated || also == Kind::named || also == Kind::compact;
}

/// read_by_layout with the layout of the format, which has one.
template <typename TextAt, typename Good, typename Other>
void read_by_own_layout(const TimestampOptions& options, std::size_t count, TimestampCounts& counts,
                        TextAt&& text_at, Good&& good, Other&& other) {
  using Kind = TimeFormat::Kind;
  const auto with = [&](auto layout) {
    read_by_layout(layout, options, count, counts, text_at, good, other);
  };
  switch (options.format.kind) {
    case Kind::dated:
      return with(DatedLayout(options.format.order));
    case Kind::epoch_s:
      return with(EpochLayout(1'000'000'000));
    case Kind::epoch_ms:
      return with(EpochLayout(1'000'000));
    case Kind::epoch_us:
      return with(EpochLayout(1'000));
    case Kind::epoch_ns:
      return with(EpochLayout(1));
    default:
      return with(IsoLayout());
  }
}

}  // namespace zerobeat::detail
