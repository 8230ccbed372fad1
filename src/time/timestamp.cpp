#include <algorithm>
#include <charconv>
#include <limits>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/trim.hpp"
#include "base/wide.hpp"
#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"
#include "time/read_by_layout.hpp"

namespace zerobeat::inline v1 {

namespace {

using Civil = TimestampReader::Civil;

constexpr std::int64_t giga = 1'000'000'000;

constexpr TimeFormat::Kind epoch_kinds[] = {TimeFormat::Kind::epoch_s, TimeFormat::Kind::epoch_ms,
                                            TimeFormat::Kind::epoch_us, TimeFormat::Kind::epoch_ns};

/// The unit of epochs that the size of a number speaks for: the largest in which it lies within
/// the range of Instant. Numbers near 1970 in every unit speak for none.
std::optional<std::size_t> unit_of_number(std::string_view text, double& size) {
  if (!text.empty() && (text.front() == '-' || text.front() == '+')) text.remove_prefix(1);
  size = 0;
  for (const char c : text) {
    if (!detail::is_digit(c)) break;
    size = size * 10 + (c - '0');
  }
  if (text.find_first_of("eE") != std::string_view::npos) {
    std::from_chars(text.data(), text.data() + text.size(), size);
  }
  if (size < 1e8 || size > 9.3e18) return std::nullopt;
  return size < 9.3e9 ? 0 : size < 9.3e12 ? 1 : size < 9.3e15 ? 2 : 3;
}

std::int64_t epoch_unit(TimeFormat::Kind kind) {
  switch (kind) {
    case TimeFormat::Kind::epoch_s:
      return giga;
    case TimeFormat::Kind::epoch_ms:
      return 1'000'000;
    case TimeFormat::Kind::epoch_us:
      return 1'000;
    default:
      return 1;
  }
}

}  // namespace

void TimestampCounts::Magnitudes::add(std::int64_t n, double low, double high) {
  if (n == 0) return;
  smallest = count == 0 ? low : std::min(smallest, low);
  largest = std::max(largest, high);
  count += n;
}

void TimestampCounts::add(const TimestampCounts& other) {
  digits_cut += other.digits_cut;
  with_offset += other.with_offset;
  without_offset += other.without_offset;
  by_also += other.by_also;
  for (std::size_t i = 0; i < date_orders.size(); ++i) date_orders[i] += other.date_orders[i];
  for (std::size_t i = 0; i < differ.size(); ++i) differ[i] += other.differ[i];
  for (std::size_t i = 0; i < magnitudes.size(); ++i) {
    const Magnitudes& theirs = other.magnitudes[i];
    magnitudes[i].add(theirs.count, theirs.smallest, theirs.largest);
  }
}

TimestampReader::TimestampReader(const TimestampOptions& options)
    : options_(options),
      earliest_(options.not_before ? nanoseconds_of(*options.not_before)
                                   : std::numeric_limits<std::int64_t>::min()),
      latest_(options.not_after ? nanoseconds_of(*options.not_after)
                                : std::numeric_limits<std::int64_t>::max()),
      utc_(options.zone.is_utc()) {}

TimeReading TimestampReader::read(std::string_view text) {
  if (!text.empty() && (text.front() <= ' ' || text.back() <= ' ')) text = detail::trim(text);
  if (options_.format.kind == TimeFormat::Kind::elapsed) return read_number(text);
  Civil civil;
  const TimeVerdict verdict =
      options_.also ? read_either(text, civil) : read_as(options_.format, text, civil);
  if (verdict != TimeVerdict::ok) return {Instant{}, verdict, Nanoseconds(0)};
  counts_.digits_cut += civil.digits_cut;
  counts_.with_offset += civil.has_offset;
  counts_.without_offset += !civil.has_offset;
  return resolve(civil);
}

TimeReading TimestampReader::read_number(std::string_view text) const {
  const auto t = read_elapsed(text, options_.format.unit);
  if (!t) return {};
  const std::int64_t ns = nanoseconds_of(*t);
  if (ns < earliest_ || ns > latest_) return {Instant{}, TimeVerdict::out_of_range, Nanoseconds(0)};
  return {*t, TimeVerdict::ok, Nanoseconds(0)};
}

void TimestampReader::read(std::span<const std::string_view> texts, std::span<TimeReading> out) {
  if (!detail::has_layout(options_)) {
    for (std::size_t i = 0; i < texts.size(); ++i) out[i] = read(texts[i]);
    return;
  }
  const std::string_view* const text = texts.data();
  TimeReading* const reading = out.data();
  const auto put = [reading](std::size_t i, std::int64_t t) {
    reading[i] = {instant_of(t), TimeVerdict::ok, Nanoseconds(0)};
  };
  detail::read_by_own_layout(
      options_, texts.size(), counts_, [text](std::size_t i) { return text[i]; },
      [&](std::size_t) { return put; }, [](std::size_t, std::size_t, bool) {},
      [&](std::size_t i) { out[i] = read(texts[i]); });
}

TimeVerdict TimestampReader::read_as(const TimeFormat& format, std::string_view text,
                                     Civil& civil) {
  using Kind = TimeFormat::Kind;
  if (text.empty()) return TimeVerdict::unreadable;
  switch (format.kind) {
    case Kind::automatic:
    case Kind::iso:
      return detail::read_iso(text, civil);
    case Kind::named:
      return detail::read_named(text, civil);
    case Kind::compact:
      return detail::read_compact(text, civil);
    case Kind::pattern:
      return detail::read_pattern(text, format.pattern, civil);
    case Kind::counted:
      return detail::read_count(text, format.count_ns, format.origin_s, civil);
    case Kind::serial_1900:
    case Kind::serial_1904:
      return detail::read_serial(text, format.kind == Kind::serial_1904, civil);
    case Kind::dated: {
      detail::DateProof proof;
      const TimeVerdict verdict = detail::read_dated(text, format.order, civil, proof);
      ++counts_.date_orders[proof.fits];
      for (std::size_t i = 0; i < 3; ++i) counts_.differ[i] += proof.differ >> i & 1;
      return verdict;
    }
    default:
      break;
  }
  const std::int64_t unit = epoch_unit(format.kind);
  const TimeVerdict verdict = detail::read_epoch(text, unit, civil);
  if (verdict == TimeVerdict::unreadable || options_.also) return verdict;
  count_magnitude(text);
  return verdict;
}

void TimestampReader::count_magnitude(std::string_view text) {
  double size = 0;
  if (const auto speaks_for = unit_of_number(text, size)) {
    counts_.magnitudes[*speaks_for].add(1, size, size);
  }
}

TimeVerdict TimestampReader::read_either(std::string_view text, Civil& civil) {
  if (is_epoch(options_.format.kind) && is_epoch(options_.also->kind)) {
    double size = 0;
    const auto speaks_for = unit_of_number(text, size);
    const bool second = speaks_for && epoch_kinds[*speaks_for] == options_.also->kind;
    const TimeVerdict verdict = read_as(second ? *options_.also : options_.format, text, civil);
    counts_.by_also += second && verdict == TimeVerdict::ok;
    if (verdict != TimeVerdict::unreadable) count_magnitude(text);
    return verdict;
  }
  Civil other;
  const TimeVerdict first = read_as(options_.format, text, civil);
  // What the first format reads says nothing of the order of dates in the second.
  const auto date_orders = counts_.date_orders;
  const auto differ = counts_.differ;
  const TimeVerdict second = read_as(*options_.also, text, other);
  if (first == TimeVerdict::ok) {
    counts_.date_orders = date_orders;
    counts_.differ = differ;
  }
  if (first == TimeVerdict::ok && second == TimeVerdict::ok) {
    const bool same = civil.seconds == other.seconds && civil.nanoseconds == other.nanoseconds &&
                      civil.offset == other.offset && civil.has_offset == other.has_offset;
    return same ? TimeVerdict::ok : TimeVerdict::unreadable;
  }
  if (second == TimeVerdict::ok) {
    civil = other;
    ++counts_.by_also;
    return TimeVerdict::ok;
  }
  return first == TimeVerdict::unreadable ? second : first;
}

TimeReading TimestampReader::judge(std::int64_t seconds, std::int32_t nanoseconds) const {
  std::int64_t t;
  if (__builtin_mul_overflow(seconds, giga, &t) || __builtin_add_overflow(t, nanoseconds, &t)) {
    // The first second of the range starts before it.
    constexpr std::int64_t first = std::numeric_limits<std::int64_t>::min();
    const Wide wide = static_cast<Wide>(seconds) * giga + nanoseconds;
    if (wide < first || wide > std::numeric_limits<std::int64_t>::max()) {
      return {Instant{}, TimeVerdict::out_of_range, Nanoseconds(0)};
    }
    t = static_cast<std::int64_t>(wide);
  }
  if (t < earliest_ || t > latest_) return {Instant{}, TimeVerdict::out_of_range, Nanoseconds(0)};
  return {instant_of(t), TimeVerdict::ok, Nanoseconds(0)};
}

TimeReading TimestampReader::resolve(Civil civil) {
  if (!civil.abbreviation.empty() && !civil.has_offset && !resolve_abbreviation(civil)) {
    return {Instant{}, TimeVerdict::unreadable, Nanoseconds(0)};
  }
  if (civil.has_offset) return judge(civil.seconds - civil.offset, civil.nanoseconds);
  if (utc_) return judge(civil.seconds, civil.nanoseconds);

  constexpr std::int64_t furthest = 10'000'000'000;  // beyond it, no offset brings it into range
  if (civil.seconds > furthest || civil.seconds < -furthest) {
    return {Instant{}, TimeVerdict::out_of_range, Nanoseconds(0)};
  }
  const std::chrono::local_seconds local{std::chrono::seconds(civil.seconds)};
  if (!has_stretch_ || local < stretch_.from || local >= stretch_.until) {
    stretch_ = options_.zone.stretch(local);
    has_stretch_ = true;
  }
  using Kind = Zone::LocalStretch::Kind;
  const std::int64_t earlier = civil.seconds - stretch_.offset.count();
  const std::int64_t later = civil.seconds - stretch_.later_offset.count();
  switch (stretch_.kind) {
    case Kind::unique:
      return judge(earlier, civil.nanoseconds);
    case Kind::skipped:
      if (options_.skipped == Skipped::reject) {
        return {Instant{}, TimeVerdict::skipped, Nanoseconds(0)};
      }
      return judge(earlier, civil.nanoseconds);
    case Kind::repeated:
      break;
  }
  switch (options_.repeated) {
    case Repeated::earlier:
      return judge(earlier, civil.nanoseconds);
    case Repeated::later:
      return judge(later, civil.nanoseconds);
    case Repeated::reject:
      return {Instant{}, TimeVerdict::repeated, Nanoseconds(0)};
    case Repeated::order:
      break;
  }
  // The limits are judged once it is decided; both instants must lie in the range of Instant.
  TimestampReader unlimited(*this);
  unlimited.earliest_ = std::numeric_limits<std::int64_t>::min();
  unlimited.latest_ = std::numeric_limits<std::int64_t>::max();
  TimeReading first = unlimited.judge(earlier, civil.nanoseconds);
  const TimeReading second = unlimited.judge(later, civil.nanoseconds);
  if (first.verdict != TimeVerdict::ok || second.verdict != TimeVerdict::ok) return second;
  first.verdict = TimeVerdict::undecided;
  first.later_by = second.instant - first.instant;
  return first;
}

bool TimestampReader::resolve_abbreviation(Civil& civil) const {
  const Zone& zone = options_.zone;
  const bool universal = civil.abbreviation == "UTC" || civil.abbreviation == "GMT" ||
                         civil.abbreviation == "UT" || civil.abbreviation == "Z";
  std::optional<std::int64_t> offset;
  bool several = false;
  const auto offer = [&](std::chrono::seconds seconds, std::int64_t at) {
    if (at > 9'000'000'000 || at < -9'000'000'000) return;
    if (zone.abbreviation_at(instant_of(at * giga)) != civil.abbreviation) return;
    several |= offset && *offset != seconds.count();
    offset = seconds.count();
  };
  if (!utc_ && civil.seconds < 9'000'000'000 && civil.seconds > -9'000'000'000) {
    const auto stretch =
        zone.stretch(std::chrono::local_seconds{std::chrono::seconds(civil.seconds)});
    const std::int64_t earlier = civil.seconds - stretch.offset.count();
    const std::int64_t later = civil.seconds - stretch.later_offset.count();
    offer(stretch.offset, earlier);
    if (stretch.later_offset != stretch.offset) offer(stretch.later_offset, later);
    if (!offset) {
      // Not what the clocks show then, but what they show in the season before or after it.
      const auto own = zone.offset_stretch(std::chrono::sys_seconds{std::chrono::seconds(earlier)});
      const auto offer_season = [&](std::chrono::sys_seconds within) {
        const std::int64_t at = within.time_since_epoch().count();
        if (at > 9'000'000'000 || at < -9'000'000'000) return;
        offer(zone.offset_at(instant_of(at * giga)), at);
      };
      if (own.from != own.from.min()) offer_season(own.from - std::chrono::seconds(1));
      offer_season(own.until);
    }
  }
  if (!offset && universal) offset = 0;
  if (!offset || several) return false;
  civil.offset = static_cast<std::int32_t>(*offset);
  civil.has_offset = true;
  return true;
}

Instant read_instant(std::string_view text, const Zone& zone) {
  TimestampReader reader({.format = {.kind = TimeFormat::Kind::iso, .order = {}, .pattern = {}},
                          .zone = zone,
                          .repeated = Repeated::earlier,
                          .skipped = Skipped::forward});
  const TimeReading reading = reader.read(text);
  switch (reading.verdict) {
    case TimeVerdict::ok:
      return reading.instant;
    case TimeVerdict::impossible:
      fail_usage("\"{}\": there is no such time", text);
    case TimeVerdict::out_of_range:
      fail_usage("\"{}\" lies outside the years 1678 to 2261", text);
    default:
      fail_usage("\"{}\" is not a time; write it like 2025-10-26T01:30:00Z", text);
  }
}

}  // namespace zerobeat
