#include <algorithm>
#include <cstring>
#include <limits>
#include <map>
#include <vector>
#include <zerobeat/error.hpp>
#include <zerobeat/option.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/trim.hpp"
#include "base/wide.hpp"
#include "time/civil_text.hpp"
#include "time/iso_layout.hpp"

namespace zerobeat {

namespace {

using Civil = TimestampReader::Civil;

constexpr std::int64_t giga = 1'000'000'000;

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

/// A whole or decimal number of `unit` nanoseconds.
TimeVerdict read_epoch(std::string_view text, std::int64_t unit, Civil& civil) {
  std::size_t i = 0;
  const bool negative = text[0] == '-';
  if (negative || text[0] == '+') ++i;
  const std::size_t first_digit = i;
  Wide whole = 0;
  for (; i < text.size() && text[i] >= '0' && text[i] <= '9'; ++i) {
    if (i - first_digit > 30) return TimeVerdict::out_of_range;
    whole = whole * 10 + (text[i] - '0');
  }
  if (i == first_digit) return TimeVerdict::unreadable;
  Wide nanoseconds = whole * unit;
  if (i < text.size() && text[i] == '.') {
    std::int64_t place = unit;
    const std::size_t first_fraction = ++i;
    for (; i < text.size() && text[i] >= '0' && text[i] <= '9'; ++i) {
      place /= 10;
      nanoseconds += Wide(text[i] - '0') * place;
      if (place == 0 && text[i] != '0') civil.digits_cut = true;
    }
    if (i == first_fraction) return TimeVerdict::unreadable;
  }
  if (i != text.size()) return TimeVerdict::unreadable;
  // What is cut off is cut towards the past, as everywhere.
  if (negative) nanoseconds = -nanoseconds - (civil.digits_cut ? 1 : 0);
  Wide seconds = nanoseconds / giga;
  Wide rest = nanoseconds % giga;
  if (rest < 0) {
    seconds -= 1;
    rest += giga;
  }
  constexpr Wide limit = std::numeric_limits<std::int64_t>::max() / 2;
  if (seconds > limit || seconds < -limit) return TimeVerdict::out_of_range;
  civil.seconds = static_cast<std::int64_t>(seconds);
  civil.nanoseconds = static_cast<std::int32_t>(rest);
  civil.has_offset = true;
  return TimeVerdict::ok;
}

}  // namespace

TimestampReader::TimestampReader(const TimestampOptions& options)
    : options_(options),
      earliest_(options.earliest ? nanoseconds_of(*options.earliest)
                                 : std::numeric_limits<std::int64_t>::min()),
      latest_(options.latest ? nanoseconds_of(*options.latest)
                             : std::numeric_limits<std::int64_t>::max()),
      utc_(options.zone.is_utc()),
      layout_(std::make_shared<detail::IsoLayout>()) {}

TimeReading TimestampReader::read(std::string_view text) {
  if (!text.empty() && (text.front() <= ' ' || text.back() <= ' ')) text = detail::trim(text);
  Civil civil;
  const TimeVerdict verdict = read_civil(text, civil);
  if (verdict != TimeVerdict::ok) return {Instant{}, verdict, Nanoseconds(0)};
  counts_.digits_cut += civil.digits_cut;
  counts_.with_offset += civil.has_offset;
  counts_.without_offset += !civil.has_offset;
  return resolve(civil);
}

TimeVerdict TimestampReader::read_civil(std::string_view text, Civil& civil) {
  if (text.empty()) return TimeVerdict::unreadable;
  switch (options_.format.kind) {
    case TimeFormat::Kind::automatic:
    case TimeFormat::Kind::iso:
      return read_iso(text, civil);
    case TimeFormat::Kind::pattern:
      return detail::read_pattern(text, options_.format.pattern, civil);
    case TimeFormat::Kind::dated: {
      detail::DateProof proof;
      const TimeVerdict verdict = detail::read_dated(text, options_.format.order, civil, proof);
      counts_.only_day_first += proof == detail::DateProof::only_day_first;
      counts_.only_month_first += proof == detail::DateProof::only_month_first;
      counts_.either_order += proof == detail::DateProof::either_order;
      return verdict;
    }
    default:
      return read_epoch(text, epoch_unit(options_.format.kind), civil);
  }
}

TimeVerdict TimestampReader::read_iso(std::string_view text, Civil& civil) {
  detail::IsoLayout::Result result;
  if (!layout_->read(text.data(), text.size(), result)) return detail::read_iso(text, civil);
  civil.seconds = result.seconds;
  civil.nanoseconds = result.nanoseconds;
  civil.has_offset = result.has_offset;
  return TimeVerdict::ok;
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

TimeReading TimestampReader::resolve(const Civil& civil) {
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

std::optional<TimeFormat> find_time_format(std::span<const std::string> samples) {
  using Kind = TimeFormat::Kind;
  if (samples.empty()) return std::nullopt;

  std::size_t numbers = 0, years = 0, basic_dates = 0;
  std::map<Kind, std::size_t> units;
  for (const auto& sample : samples) {
    Civil civil;
    const std::string_view text = detail::trim(sample);
    if (text.empty() || read_epoch(text, giga, civil) != TimeVerdict::ok) continue;
    ++numbers;
    const std::int64_t size = civil.seconds < 0 ? -civil.seconds : civil.seconds;
    const bool whole = text.find('.') == std::string_view::npos;
    years += whole && text.size() == 4 && size >= 1000 && size <= 2999;
    Civil date;
    basic_dates += whole && text.size() == 8 && size >= 19'000'000 && size < 21'000'000 &&
                   detail::read_iso(text, date) == TimeVerdict::ok;
    // 1e11 s lies in the year 5138, 1e11 ms in 1973; so on for the smaller units.
    ++units[size < 100'000'000'000           ? Kind::epoch_s
            : size < 100'000'000'000'000     ? Kind::epoch_ms
            : size < 100'000'000'000'000'000 ? Kind::epoch_us
                                             : Kind::epoch_ns];
  }

  std::vector<std::pair<std::size_t, TimeFormat>> scores;
  const auto score = [&](const TimeFormat& format) {
    TimestampReader reader({.format = format, .repeated = Repeated::earlier});
    std::size_t reads = 0;
    for (const auto& sample : samples) {
      const TimeVerdict verdict = reader.read(sample).verdict;
      reads += verdict == TimeVerdict::ok || verdict == TimeVerdict::out_of_range;
    }
    scores.emplace_back(reads, format);
  };
  if (numbers * 2 >= samples.size() && years < numbers && basic_dates < numbers) {
    const auto most = std::ranges::max_element(units, {}, [](const auto& u) { return u.second; });
    scores.emplace_back(numbers, TimeFormat{.kind = most->first, .order = {}, .pattern = {}});
  }
  score({.kind = Kind::iso, .order = {}, .pattern = {}});
  for (const DateOrder order : {DateOrder::dmy, DateOrder::mdy, DateOrder::ymd}) {
    score({.kind = Kind::dated, .order = order, .pattern = {}});
  }
  const auto best = std::ranges::max_element(scores, {}, [](const auto& s) { return s.first; });
  if (best->first * 2 < samples.size() || best->first == 0) return std::nullopt;
  return best->second;
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

void from_text(std::string_view text, TimeFormat& out) {
  static const std::vector<std::string> words{"auto",     "iso",      "epoch-s",
                                              "epoch-ms", "epoch-us", "epoch-ns"};
  out = TimeFormat();
  if (text.find('%') != std::string_view::npos) {
    detail::check_pattern(text);
    out.kind = TimeFormat::Kind::pattern;
    out.pattern = text;
    return;
  }
  const auto word = std::ranges::find(words, text);
  if (word == words.end()) {
    fail_usage("\"{}\" is not a time format{} A pattern has %, like \"%d/%m/%Y %H:%M\"", text,
               did_you_mean(text, words));
  }
  out.kind = static_cast<TimeFormat::Kind>(word - words.begin());
}

std::string to_text(const TimeFormat& format) {
  switch (format.kind) {
    case TimeFormat::Kind::automatic:
      return "auto";
    case TimeFormat::Kind::iso:
      return "iso";
    case TimeFormat::Kind::epoch_s:
      return "epoch-s";
    case TimeFormat::Kind::epoch_ms:
      return "epoch-ms";
    case TimeFormat::Kind::epoch_us:
      return "epoch-us";
    case TimeFormat::Kind::epoch_ns:
      return "epoch-ns";
    case TimeFormat::Kind::dated:
      return to_text(format.order);
    case TimeFormat::Kind::pattern:
      break;
  }
  return format.pattern;
}

}  // namespace zerobeat
