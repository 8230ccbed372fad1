/// Reading many texts by one layout: from texts to instants in runs, and whatever is not of the
/// layout handed to the plain reader.

#pragma once

#include <algorithm>
#include <limits>
#include <optional>
#include <zerobeat/base/export.hpp>

#include "time/layouts.hpp"
#include "time/same_day.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Instants within `not_before` and `not_after`, as numbers.
struct InstantLimits {
  std::int64_t earliest = std::numeric_limits<std::int64_t>::min();
  std::int64_t latest = std::numeric_limits<std::int64_t>::max();

  explicit InstantLimits(const TimestampOptions& options) {
    if (options.not_before) earliest = nanoseconds_of(*options.not_before);
    if (options.not_after) latest = nanoseconds_of(*options.not_after);
  }
};

/// From local time to UTC: the stretch met last is remembered, so that a row costs a compare.
class LocalOffsets {
 public:
  explicit LocalOffsets(const TimestampOptions& options)
      : zone_(&options.zone), repeated_(options.repeated), skipped_(options.skipped) {
    if (!options.zone.is_utc()) return;
    from_ = std::numeric_limits<std::int64_t>::min() / 4;
    length_ = std::numeric_limits<std::uint64_t>::max() / 4;
  }

  /// The instant at which a local day begins whose clock times all have the offset met last.
  std::optional<std::int64_t> midnight(std::int64_t date) const {
    const auto into = static_cast<std::uint64_t>(date - from_);
    if (into >= length_ || length_ - into < 86'400) return std::nullopt;
    return date - offset_;
  }

  /// The stretch that another one met.
  void take(const LocalOffsets& other) { *this = other; }

  /// Takes the offset off. Returns false for repeated and skipped times that are not just read.
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
    const auto stretch = zone_->stretch(std::chrono::local_seconds{std::chrono::seconds(seconds)});
    using Kind = Zone::LocalStretch::Kind;
    const bool later = stretch.kind == Kind::repeated && repeated_ == Repeated::later;
    if (stretch.kind == Kind::repeated && !later && repeated_ != Repeated::earlier) return false;
    if (stretch.kind == Kind::skipped && skipped_ != Skipped::forward) return false;
    from_ = std::max(stretch.from.time_since_epoch().count(), -furthest);
    length_ = static_cast<std::uint64_t>(
        std::min(stretch.until.time_since_epoch().count(), furthest) - from_);
    offset_ = (later ? stretch.later_offset : stretch.offset).count();
    return true;
  }

  const Zone* zone_;
  Repeated repeated_;
  Skipped skipped_;
  std::int64_t from_ = 0;
  std::uint64_t length_ = 0;
  std::int64_t offset_ = 0;
};

/// Texts of one day, many in one call, between those that are read one by one.
template <typename Layout>
class DayRuns {
 public:
  explicit DayRuns(const InstantLimits& limits) : limits_(limits) {}

  /// Reads on from the i-th text, before which `text` was read. Returns how many.
  template <typename TextAt, typename Put>
  [[gnu::always_inline]] std::size_t read(const Layout& layout, const LocalOffsets& offsets,
                                          std::string_view text, bool has_offset, std::size_t i,
                                          std::size_t count, const TextAt& text_at,
                                          const Put& put) {
    if (!available_ || i < next_try_) return 0;
    return read_day(layout, offsets, text, has_offset, i, count, text_at, put);
  }

 private:
  template <typename TextAt, typename Put>
  [[gnu::noinline]] std::size_t read_day(const Layout& layout, const LocalOffsets& offsets,
                                         std::string_view text, bool has_offset, std::size_t i,
                                         std::size_t count, TextAt text_at, Put put) {
    constexpr std::size_t first_batch = 8;
    // Where days and lengths change all the time, trying costs little.
    next_try_ = i + 4 * first_batch;
    const auto begin = has_offset ? std::optional(layout.date()) : offsets.midnight(layout.date());
    if (!begin) return 0;
    constexpr std::int64_t giga = 1'000'000'000;
    constexpr std::uint64_t day = 86'400 * giga;
    const std::int64_t midnight = *begin * giga;
    if (midnight < limits_.earliest || midnight > limits_.latest) return 0;
    if (static_cast<std::uint64_t>(limits_.latest) - static_cast<std::uint64_t>(midnight) < day) {
      return 0;
    }
    SameDay same;
    if (!same.learn(text.data(), text.size(), midnight)) return 0;

    SameDay::Texts texts;
    std::array<std::int64_t, SameDay::batch> instants;
    std::size_t at = i, wanted = first_batch;
    while (at < count) {
      std::size_t n = 0;
      for (const std::size_t most = std::min(wanted, count - at); n < most; ++n) {
        const std::string_view word = text_at(at + n);
        if (word.size() != same.length()) break;
        texts[n] = word.data();
      }
      if (n == 0) break;
      for (std::size_t k = n; k % 4 != 0; ++k) texts[k] = texts[n - 1];
      const std::size_t good = same.read(texts, n, instants);
      for (std::size_t k = 0; k < good; ++k) put(at + k, instants[k]);
      at += good;
      if (good < wanted) break;
      wanted = SameDay::batch;
    }
    if (at - i >= first_batch) next_try_ = at;
    return at - i;
  }

  const InstantLimits& limits_;
  const bool available_ = SameDay::is_available();
  std::size_t next_try_ = 0;
};

/// Reads texts from the `begin`-th on by one layout, until one is not of it, or out of the limits,
/// or has an offset where the first had none, or the other way round. `put(i, nanoseconds)` takes
/// their instants. Returns how many there were; `has_offset` says which kind.
template <typename Layout, typename TextAt, typename Put>
std::size_t read_run(Layout& shared_layout, LocalOffsets& shared_offsets,
                     const InstantLimits& limits, DayRuns<Layout>& days, std::size_t begin,
                     std::size_t count, TextAt text_at, Put put, bool& has_offset) {
  // Copies, which nobody else can look at, so that they stay in registers.
  Layout layout = shared_layout;
  LocalOffsets offsets = shared_offsets;
  std::size_t i = begin;
  bool own_kind = false;
  while (i < count) {
    const std::string_view text = text_at(i);
    LayoutTime time;
    if (!layout.read(text.data(), text.size(), time)) break;
    if (time.has_offset != own_kind) [[unlikely]] {
      if (i != begin) break;
      own_kind = time.has_offset;
    }
    if (!own_kind && !offsets.to_utc(time.seconds)) break;
    const std::int64_t t =
        (Layout::makes_instants ? time.seconds : time.seconds * 1'000'000'000) + time.nanoseconds;
    if (t < limits.earliest || t > limits.latest) break;
    layout.accepted(1);
    put(i, t);
    ++i;
    if constexpr (!Layout::makes_instants) {
      const std::size_t n = days.read(layout, offsets, text, own_kind, i, count, text_at, put);
      layout.accepted(n);
      i += n;
    }
  }
  has_offset = own_kind;
  shared_layout = layout;
  shared_offsets.take(offsets);
  return i - begin;
}

/// Reads `count` texts by one layout, and judges them. `put(i, nanoseconds)` takes each that is of
/// the layout and within the limits, and `good(i, n, has_offset)` each stretch of them; each other
/// goes to `other(i)`. `put_from(i)` makes the `put` of a stretch.
template <typename Layout, typename TextAt, typename PutFrom, typename Good, typename Other>
void read_by_layout(Layout layout, const TimestampOptions& options, std::size_t count,
                    TimestampCounts& counts, TextAt text_at, PutFrom&& put_from, Good&& good,
                    Other&& other) {
  LocalOffsets offsets(options);
  const InstantLimits limits(options);
  DayRuns<Layout> days(limits);
  for (std::size_t i = 0; i < count;) {
    bool has_offset = false;
    const std::size_t n =
        read_run(layout, offsets, limits, days, i, count, text_at, put_from(i), has_offset);
    if (n > 0) {
      (has_offset ? counts.with_offset : counts.without_offset) += static_cast<std::int64_t>(n);
      good(i, n, has_offset);
      i += n;
    } else {
      // A run may end because the other kind begins: then the next one is read first.
      other(i++);
    }
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
template <typename TextAt, typename PutFrom, typename Good, typename Other>
void read_by_own_layout(const TimestampOptions& options, std::size_t count, TimestampCounts& counts,
                        TextAt text_at, PutFrom&& put_from, Good&& good, Other&& other) {
  using Kind = TimeFormat::Kind;
  const auto with = [&](auto layout) {
    read_by_layout(layout, options, count, counts, text_at, put_from, good, other);
  };
  switch (options.format.kind) {
    case Kind::dated:
      return with(DatedLayout(options.format.order));
    case Kind::epoch_s:
      return with(EpochLayout<10>());
    case Kind::epoch_ms:
      return with(EpochLayout<13>());
    case Kind::epoch_us:
      return with(EpochLayout<16>());
    case Kind::epoch_ns:
      return with(EpochLayout<19>());
    default:
      return with(IsoLayout());
  }
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
