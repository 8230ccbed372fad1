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

/// Seconds so far from the ends of the range of Instant that no clock and offset reach over them.
inline bool well_in_range(std::int64_t seconds) {
  return seconds > -9'000'000'000 && seconds < 9'000'000'000;
}

/// Instants within `earliest` and `latest`, as numbers.
struct InstantLimits {
  std::int64_t earliest = std::numeric_limits<std::int64_t>::min();
  std::int64_t latest = std::numeric_limits<std::int64_t>::max();

  explicit InstantLimits(const TimestampOptions& options) {
    if (options.earliest) earliest = nanoseconds_of(*options.earliest);
    if (options.latest) latest = nanoseconds_of(*options.latest);
  }
};

/// The last minute read, 2025-10-26T01:30 or 26/10/2025 01:30, which most timestamps share with
/// the one before, and its date, which almost all do.
struct LastMinute {
  std::uint64_t head = 0, tail = 0;
  std::int64_t seconds = 0;
  std::uint64_t date_head = 0;
  std::uint16_t date_tail = 0;
  std::int64_t date_seconds = 0;

  [[gnu::always_inline]] bool holds(const char* p) const {
    return load8(p) == head && load8(p + 8) == tail;
  }
  bool holds_date(const char* p) const {
    std::uint16_t own_tail;
    std::memcpy(&own_tail, p + 8, 2);
    return load8(p) == date_head && own_tail == date_tail;
  }
  /// Takes on the date of 10 characters at p, which are so many seconds.
  void keep_date(const char* p, std::int64_t since_1970) {
    date_head = load8(p);
    std::memcpy(&date_tail, p + 8, 2);
    date_seconds = since_1970;
  }
  /// Takes on the minute at p, whose date is the last one. Returns false when its clock is none.
  bool keep_minute(const char* p) {
    const auto digit = [&](std::size_t i) {
      return static_cast<unsigned>(static_cast<unsigned char>(p[i] - '0'));
    };
    if (digit(11) > 2 || digit(12) > 9 || p[13] != ':' || digit(14) > 5 || digit(15) > 9)
      return false;
    const unsigned hour = digit(11) * 10 + digit(12);
    if (hour > 23) return false;
    head = load8(p);
    tail = load8(p + 8);
    seconds = date_seconds + hour * 3600 + (digit(14) * 10 + digit(15)) * 60;
    return true;
  }
};

/// What may follow the minute: nothing, or :ss, a fraction, and an offset.
[[gnu::always_inline]] inline bool read_after_minute(const char* p, std::size_t n,
                                                     LayoutTime& out) {
  if (n == 8) {
    // :ss.fffZ, the most common of all, at once: with the template taken off, digits are 0 to 9
    // (0 to 5 the tens of seconds) and the rest is 0.
    const std::uint64_t x = load8(p) ^ 0x5a3030302e30303aULL;
    if (((x | (x + 0x0006060600060a00ULL)) & 0xfff0f0f0fff0f0ffULL) == 0) {
      out.seconds += static_cast<std::int64_t>((x >> 8 & 0xf) * 10 + (x >> 16 & 0xf));
      out.nanoseconds = static_cast<std::int32_t>(
          ((x >> 32 & 0xf) * 100 + (x >> 40 & 0xf) * 10 + (x >> 48 & 0xf)) * 1'000'000);
      out.has_offset = true;
      return true;
    }
  }
  if (n == 0) return true;
  if (n < 3 || p[0] != ':') return false;
  const auto tens = static_cast<unsigned char>(p[1] - '0');
  const auto ones = static_cast<unsigned char>(p[2] - '0');
  if (tens > 5 || ones > 9) return false;
  out.seconds += tens * 10 + ones;
  return n == 3 || read_tail(p + 3, n - 3, out);
}

class IsoLayout {
 public:
  // The last minute is always one: else the text that it starts out as would be read as that.
  IsoLayout() { read_new_minute("1970-01-01T00:00"); }

  /// Reads n bytes at p. Returns false when they are not of the layout.
  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < 16) return false;
    if (!last_.holds(p)) [[unlikely]] {
      if (!read_new_minute(p)) return false;
    }
    out.seconds = last_.seconds;
    return read_after_minute(p + 16, n - 16, out);
  }

  /// Whether `seconds` are nanoseconds already.
  static constexpr bool makes_instants = false;
  void accepted() {}
  void settle(TimestampCounts&) {}

 private:
  [[gnu::noinline]] bool read_new_minute(const char* p) {
    if (p[10] != 'T' && p[10] != ' ' && p[10] != 't') return false;
    if (!last_.holds_date(p)) {
      if (p[4] != '-' || p[7] != '-') return false;
      TimestampReader::Civil civil;
      if (read_iso({p, 10}, civil) != TimeVerdict::ok || !well_in_range(civil.seconds))
        return false;
      last_.keep_date(p, civil.seconds);
    }
    return last_.keep_minute(p);
  }

  LastMinute last_;
};

/// Dates in numbers of ten characters, 26/10/2025 or 2025/10/26, then a space or T and hh:mm or
/// hh:mm:ss and what may follow.
class DatedLayout {
 public:
  explicit DatedLayout(DateOrder order) : order_(order) {
    read_new_minute(order == DateOrder::ymd ? "1970/01/01 00:00" : "01/01/1970 00:00");
  }

  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < 16) return false;
    if (!last_.holds(p)) [[unlikely]] {
      if (!read_new_minute(p)) return false;
    }
    out.seconds = last_.seconds;
    return read_after_minute(p + 16, n - 16, out);
  }

  static constexpr bool makes_instants = false;
  void accepted() { ++cells_; }

  void settle(TimestampCounts& counts) {
    flush();
    counts.add(done_);
    done_ = {};
  }

 private:
  [[gnu::noinline]] bool read_new_minute(const char* p) {
    if (p[10] != ' ' && p[10] != 'T') return false;
    if (!last_.holds_date(p)) {
      TimestampReader::Civil civil;
      DateProof proof;
      if (read_dated({p, 10}, order_, civil, proof) != TimeVerdict::ok) return false;
      if (!well_in_range(civil.seconds)) return false;
      flush();
      proof_ = proof;
      last_.keep_date(p, civil.seconds);
    }
    return last_.keep_minute(p);
  }

  void flush() {
    done_.date_orders[proof_.fits] += cells_;
    for (std::size_t i = 0; i < 3; ++i) {
      if ((proof_.differ >> i & 1U) != 0) done_.differ[i] += cells_;
    }
    cells_ = 0;
  }

  DateOrder order_;
  LastMinute last_;
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

  /// `out.seconds` becomes nanoseconds.
  [[gnu::always_inline]] bool read(const char* p, std::size_t n, LayoutTime& out) {
    if (n < digits_ || p[0] < '1' || p[0] > '8') return false;
    const std::size_t most = std::min<std::size_t>(digits_, 16);
    std::uint64_t low = 0, high = 0;
    constexpr std::uint64_t zeros = 0x3030303030303030ULL;
    const std::size_t shift = 8 * (16 - most);
    const std::uint64_t first =
        shift == 0 ? load8(p) : (load8(p) << shift) | (zeros >> (64 - shift));
    if (!eight_digits(first, high) || !eight_digits(load8(p + most - 8), low)) return false;
    std::uint64_t value = high * 100'000'000 + low;
    for (std::size_t i = most; i < digits_; ++i) {
      const auto digit = static_cast<unsigned char>(p[i] - '0');
      if (digit > 9) return false;
      value = value * 10 + digit;
    }
    last_ = value;
    out.seconds = static_cast<std::int64_t>(value * static_cast<std::uint64_t>(unit_));
    out.nanoseconds = 0;
    if (n > digits_) {
      if (unit_ != 1'000'000'000 || p[digits_] != '.') return false;
      if (!read_tail(p + digits_, n - digits_, out) || out.has_offset) return false;
    }
    out.has_offset = true;
    return true;
  }

  static constexpr bool makes_instants = true;
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

/// Reads texts from the `begin`-th on by one layout, until one is not of it, or out of the limits,
/// or has an offset where the first had none, or the other way round. Their instants go to `times`,
/// one after the other. Returns how many there were; `has_offset` says which kind.
template <typename Layout, typename TextAt>
std::size_t read_run(Layout& layout, LocalOffsets& offsets, const InstantLimits& limits,
                     std::size_t begin, std::size_t count, TextAt&& text_at, std::int64_t* times,
                     bool& has_offset) {
  std::size_t i = begin;
  bool own_kind = false, first = true;
  for (; i < count; ++i) {
    const std::string_view text = text_at(i);
    LayoutTime time;
    if (!layout.read(text.data(), text.size(), time)) break;
    if (first) {
      own_kind = time.has_offset;
      first = false;
    }
    if (time.has_offset != own_kind) break;
    if (!own_kind && !offsets.to_utc(time.seconds)) break;
    const std::int64_t t =
        (Layout::makes_instants ? time.seconds : time.seconds * 1'000'000'000) + time.nanoseconds;
    if (t < limits.earliest || t > limits.latest) break;
    layout.accepted();
    *times++ = t;
  }
  has_offset = own_kind;
  return i - begin;
}

/// Reads `count` texts by one layout, and judges them. `good(i, times, n, has_offset)` takes
/// stretches of n that are of the layout and within the limits, their instants at `times`, which
/// lie where `place(i)` said; each other goes to `other(i)`.
template <typename Layout, typename TextAt, typename Place, typename Good, typename Other>
void read_by_layout(Layout layout, const TimestampOptions& options, std::size_t count,
                    TimestampCounts& counts, TextAt&& text_at, Place&& place, Good&& good,
                    Other&& other) {
  LocalOffsets offsets(options.zone);
  const InstantLimits limits(options);
  for (std::size_t i = 0; i < count;) {
    bool has_offset = false;
    std::int64_t* const times = place(i);
    const std::size_t n = read_run(layout, offsets, limits, i, count, text_at, times, has_offset);
    if (n > 0) {
      (has_offset ? counts.with_offset : counts.without_offset) += static_cast<std::int64_t>(n);
      good(i, times, n, has_offset);
      i += n;
    }
    // A run may end because the other kind begins: then the next one is read.
    if (n == 0) other(i++);
  }
  layout.settle(counts);
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
template <typename TextAt, typename Place, typename Good, typename Other>
void read_by_own_layout(const TimestampOptions& options, std::size_t count, TimestampCounts& counts,
                        TextAt&& text_at, Place&& place, Good&& good, Other&& other) {
  using Kind = TimeFormat::Kind;
  const auto with = [&](auto layout) {
    read_by_layout(layout, options, count, counts, text_at, place, good, other);
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
