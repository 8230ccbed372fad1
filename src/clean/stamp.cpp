#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <limits>
#include <numeric>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/stamp.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/trim.hpp"
#include "base/wide.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::int64_t giga = 1'000'000'000;

std::string lower(std::string_view text) {
  std::string out(text);
  std::ranges::transform(out, out.begin(), [](unsigned char c) { return std::tolower(c); });
  return out;
}

/// Powers of ten of the unit's prefix, or nullopt when it is no unit of a rate.
std::optional<int> power_of_unit(std::string_view unit) {
  const std::string small = lower(unit);
  for (const std::string_view base : {"hz", "sa/s", "s/s", "sps", "/s"}) {
    if (!small.ends_with(base)) continue;
    const std::string_view prefix = unit.substr(0, unit.size() - base.size());
    if (prefix.empty()) return 0;
    if (prefix == "k" || prefix == "K") return 3;
    if (prefix == "M") return 6;
    if (prefix == "m") return -3;
    if (prefix == "G" || prefix == "g") return 9;
  }
  return unit.empty() ? std::optional(0) : std::nullopt;
}

[[noreturn]] void not_a_rate(std::string_view text) {
  fail_usage("\"{}\" is not a rate; write samples a second, like 44100, 51.2kHz or 0.5Hz", text);
}

[[noreturn]] void out_of_range(std::string_view text) {
  fail_usage(
      "\"{}\" is beyond what a sample clock can be here: from 1e-15 to 1e15 samples a second",
      shown(text));
}

/// One value that the preamble states, and where.
template <typename Value>
struct StatedValue {
  Value value{};
  std::string text{};
  std::uint64_t line = 0;
};

/// Every value of the lines of that name. `read` takes a text, or refuses it with nullopt.
template <typename Value, typename Read>
std::vector<StatedValue<Value>> stated_values(const Records& records, const std::string& option,
                                              const std::string& name, Read&& read) {
  std::vector<StatedValue<Value>> values;
  std::vector<std::string> names;
  for (const PreambleLine& line : records.preamble) {
    names.push_back(line.key);
    if (lower(line.key) != lower(detail::trim(name))) continue;
    if (const auto whole = read(line.value)) {
      values.push_back({*whole, line.value, line.line});
      continue;
    }
    std::size_t begin = 0;
    for (;;) {
      const std::size_t end = line.value.find_first_of(",;\t", begin);
      const std::string_view part =
          detail::trim(std::string_view(line.value).substr(begin, end - begin));
      const auto value = read(part);
      if (!value) {
        fail_input("{}:{}: ‹{}› \"{}\": \"{}\" can't be read", records.source->source, line.line,
                   option, name, part);
      }
      values.push_back({*value, std::string(part), line.line});
      if (end == std::string::npos) break;
      begin = end + 1;
    }
  }
  if (values.empty()) {
    fail_input("{}: ‹{}›: no line before the header is named \"{}\"{}", records.source->source,
               option, name, names.empty() ? "; there is none" : did_you_mean(name, names));
  }
  return values;
}

/// What all channels state; an error that shows where they don't agree.
template <typename Value>
Value agreed(const Records& records, const std::string& option,
             const std::vector<StatedValue<Value>>& values) {
  for (std::size_t i = 1; i < values.size(); ++i) {
    if (values[i].value == values[0].value) continue;
    const bool same_line = values[i].line == values[0].line;
    fail_input(
        "{}: ‹{}›: the channels do not agree: \"{}\" (line {}) and \"{}\" ({}); split the file by "
        "channel, or say which holds",
        records.source->source, option, values[0].text, values[0].line, values[i].text,
        same_line ? fmt::format("channel {} of the same line", i + 1)
                  : fmt::format("line {}", values[i].line));
  }
  return values[0].value;
}

/// A start as the preamble has it, read in one order of day and month; `ambiguous` is set where
/// another order would read it, too.
std::optional<Instant> read_start(std::string_view text, const TimeFormat& format, const Zone& zone,
                                  bool& ambiguous) {
  TimestampReader reader({.format = format, .zone = zone});
  const TimeReading reading = reader.read(text);
  if (reading.verdict != TimeVerdict::ok) return std::nullopt;
  ambiguous = decide_date_order(reader.counts(), format.order).ambiguous;
  return reading.instant;
}

std::optional<Instant> read_stated_start(std::string_view text, const TimeColumn& time) {
  const std::vector<std::string> samples{std::string(text)};
  auto format = find_time_format(samples);
  if (!format) return std::nullopt;
  bool ambiguous = false;
  if (time.date_order) format->order = *time.date_order;
  const auto start = read_start(text, *format, time.zone, ambiguous);
  if (!start || !ambiguous || time.date_order) return start;
  std::string told;
  for (const DateOrder order : {DateOrder::dmy, DateOrder::mdy}) {
    format->order = order;
    if (const auto read = read_start(text, *format, time.zone, ambiguous)) {
      told +=
          fmt::format("{}{} makes it {}", told.empty() ? "" : ", ", to_text(order), to_text(*read));
    }
  }
  fail_input(
      "stamp: the start \"{}\" may be read in more than one order of day and month; say "
      "which: ‹date_order› ({})",
      shown(text), told);
}

/// nullopt when there is none.
std::optional<Instant> start_of(const Records& records, const Stamp& options) {
  if (const auto* start = std::get_if<Moment>(&options.start)) return start->in(records.time.zone);
  const auto* stated = std::get_if<Stated>(&options.start);
  if (stated == nullptr) return std::nullopt;
  return agreed(
      records, "start_from",
      stated_values<Instant>(records, "start_from", stated->name, [&](std::string_view text) {
        return read_stated_start(text, records.time);
      }));
}

std::optional<Rate> read_stated_rate(std::string_view text) {
  Rate rate;
  try {
    from_text(text, rate);
  } catch (const Error&) {
    return std::nullopt;
  }
  return rate;
}

/// nullopt when the times do not go by a rate.
std::optional<Rate> rate_of(const Records& records, const Stamp& options) {
  if (const auto* rate = std::get_if<Rate>(&options.by)) return *rate;
  const auto* stated = std::get_if<Stated>(&options.by);
  if (stated == nullptr) return std::nullopt;
  return agreed(records, "rate_from",
                stated_values<Rate>(records, "rate_from", stated->name, read_stated_rate));
}

/// How many records of its key came before each.
std::vector<std::int64_t> beats_of(const Records& records) {
  std::vector<std::int64_t> beats(records.size());
  if (!records.keys) {
    for (std::size_t i = 0; i < beats.size(); ++i) {
      beats[i] = nanoseconds_of(records.times.times()[i]);
    }
    return beats;
  }
  const auto codes = records.keys->codes();
  std::vector<std::int64_t> next(records.keys->dictionary().size());
  for (std::size_t i = 0; i < beats.size(); ++i) {
    beats[i] = next[static_cast<std::size_t>(codes[i])]++;
  }
  return beats;
}

[[noreturn]] void past_range(std::int64_t beat) {
  fail_usage("stamp: record {} would lie past the year 2262; look at the start and the rate",
             beat + 1);
}

/// From beats to instants.
class Clock {
 public:
  Clock(Instant start, const Rate& rate) : start_(start), rate_(rate) {}

  Instant at(std::int64_t beat) const {
    // Rounded to the nearest nanosecond, of two equally near ones the later.
    const Wide numerator = static_cast<Wide>(beat) * rate_.seconds * giga;
    const Wide nanoseconds =
        (2 * numerator + rate_.samples) / (2 * static_cast<Wide>(rate_.samples));
    const Wide t = nanoseconds + nanoseconds_of(start_);
    if (t > std::numeric_limits<std::int64_t>::max()) past_range(beat);
    return instant_of(static_cast<std::int64_t>(t));
  }
  double elapsed(std::int64_t beat, Instant) const {
    return static_cast<double>(static_cast<long double>(beat) * rate_.seconds / rate_.samples);
  }

 private:
  Instant start_;
  Rate rate_;
};

class Periods {
 public:
  Periods(Instant start, const Period& every, const Zone& zone, const Calendar& calendar)
      : start_(start), every_(every), zone_(zone), calendar_(calendar) {
    by_working_days_ = !calendar.is_plain() && every.days != 0;
    if (!calendar.is_plain() &&
        (every.days == 0 || every.months != 0 || every.nanoseconds.count() != 0)) {
      fail_usage("stamp: working days go with a period of days, like ‹every› 1d; \"{}\" is not one",
                 to_text(every));
    }
    if (every.is_zero() || every.months < 0 || every.days < 0 || every.nanoseconds.count() < 0) {
      fail_usage("stamp: ‹every› is a period longer than nothing");
    }
    const auto local = zone.local_of(start);
    day_ = std::chrono::floor<std::chrono::days>(local);
    clock_ = local - day_;
  }

  Instant at(std::int64_t beat) const {
    if (every_.is_fixed()) {
      const Wide t = static_cast<Wide>(beat) * every_.nanoseconds.count() + nanoseconds_of(start_);
      if (t > std::numeric_limits<std::int64_t>::max()) past_range(beat);
      return instant_of(static_cast<std::int64_t>(t));
    }
    // Nothing that is not fixed reaches further than this in the range of Instant.
    if (beat > 300'000) past_range(beat);
    if (by_working_days_) {
      const auto day = calendar_.nth_after(calendar_.nth_after(day_, 0), beat * every_.days);
      if (day.time_since_epoch() > std::chrono::days(106'750)) past_range(beat);
      return zone_.first_instant(std::chrono::local_time<Nanoseconds>(day) + clock_);
    }
    const Instant t = shift(start_, every_, beat, zone_);
    if (nanoseconds_of(t) == std::numeric_limits<std::int64_t>::max()) past_range(beat);
    return t;
  }
  double elapsed(std::int64_t, Instant t) const {
    return static_cast<double>((t - start_).count()) / 1e9;
  }

 private:
  Instant start_;
  Period every_;
  const Zone& zone_;
  const Calendar& calendar_;
  bool by_working_days_ = false;
  std::chrono::local_days day_{};
  Nanoseconds clock_{};
};

template <typename Beats>
Records stamped(const Records& records, const Beats& clock, bool with_elapsed) {
  Records out = records;
  out.untimed = false;
  const auto beats = beats_of(records);
  Buffer<Instant> times(beats.size());
  Buffer<double> elapsed(with_elapsed ? beats.size() : 0);
  for (std::size_t i = 0; i < beats.size(); ++i) {
    times[i] = clock.at(beats[i]);
    if (with_elapsed) elapsed[i] = clock.elapsed(beats[i], times[i]);
  }
  out.times = Column::times(std::move(times));
  if (with_elapsed) {
    if (records.values.find("elapsed_s")) {
      fail_usage(
          "stamp: two columns would be named \"elapsed_s\"; rename one, or leave out ‹elapsed›");
    }
    Table values(beats.size());
    values.add("elapsed_s", Column::numbers(std::move(elapsed), {}));
    for (std::size_t i = 0; i < records.values.columns().size(); ++i) {
      values.add(records.values.names()[i], records.values.columns()[i]);
    }
    out.values = std::move(values);
  }
  return out;
}

/// Numbers since a zero have no zone.
void refuse_zone(const Records& records) {
  if (records.time.zone.is_utc()) return;
  fail_usage(
      "stamp: zone {}: without a start the times are numbers since a zero, which have no "
      "zone; leave it out, or say when the first record was",
      records.time.zone.name());
}

/// Elapsed times have a name of their own, which no other column may have.
void check_time_name(const Records& records) {
  const bool taken =
      records.values.find(records.time.name).has_value() || records.key_name == records.time.name;
  if (taken) {
    fail_usage("stamp: two columns would be named \"{}\": the time and another; rename one",
               records.time.name);
  }
}

Records counted(const Records& records, const Stamp& options, const CountFrom& count) {
  if (!std::holds_alternative<std::monostate>(options.start) || options.elapsed) {
    fail_usage("stamp: ‹count_from› goes with no start, and with no elapsed time");
  }
  refuse_zone(records);
  Records out = records;
  out.untimed = false;
  out.time.name = "count";
  out.time.axis = {ElapsedUnit::count};
  check_time_name(out);
  const auto beats = beats_of(records);
  Buffer<Instant> times(beats.size());
  const std::int64_t one = nanoseconds_of(ElapsedUnit::count);
  for (std::size_t i = 0; i < beats.size(); ++i) {
    const Wide t = (Wide(beats[i]) + count.first) * one;
    if (t > std::numeric_limits<std::int64_t>::max() ||
        t < std::numeric_limits<std::int64_t>::min()) {
      fail_usage("stamp: ‹count_from› {}: a count goes to nine billion, each way", count.first);
    }
    times[i] = instant_of(static_cast<std::int64_t>(t));
  }
  out.times = Column::times(std::move(times));
  return out;
}

}  // namespace

void from_text(std::string_view text, Rate& out) {
  const std::string_view whole_text = text;
  text = detail::trim(text);
  Wide digits = 0;
  int exponent = 0;
  std::size_t i = 0;
  bool any = false, in_fraction = false;
  for (; i < text.size(); ++i) {
    if (text[i] >= '0' && text[i] <= '9') {
      any = true;
      digits = digits * 10 + (text[i] - '0');
      exponent -= in_fraction;
      if (exponent < -1000) out_of_range(whole_text);
      if (digits > giga * Wide{giga}) not_a_rate(whole_text);
    } else if (text[i] == '.' && !in_fraction) {
      in_fraction = true;
    } else {
      break;
    }
  }
  if (i + 1 < text.size() && (text[i] == 'e' || text[i] == 'E')) {
    std::int64_t power = 0;
    const std::size_t end = std::min(text.find_first_not_of("+-0123456789", i + 1), text.size());
    std::string_view word = text.substr(i + 1, end - i - 1);
    if (word.starts_with('+')) word.remove_prefix(1);
    try {
      from_text(word, power);
    } catch (const Error&) {
      not_a_rate(whole_text);
    }
    if (power > 12 || power < -18) not_a_rate(whole_text);
    exponent += static_cast<int>(power);
    i = end;
  }
  const auto unit = power_of_unit(detail::trim(text.substr(i)));
  if (!any || digits == 0 || !unit) not_a_rate(whole_text);
  exponent += *unit;
  // Products of these, of records and of nanoseconds stay within 128 bits.
  constexpr Wide most = Wide{1'000'000} * giga;
  Wide samples = digits, seconds = 1;
  while (samples % 10 == 0 && exponent < 0) {
    samples /= 10;
    ++exponent;
  }
  for (; exponent > 0; --exponent) {
    samples *= 10;
    if (samples > most) out_of_range(whole_text);
  }
  for (; exponent < 0; ++exponent) {
    if (seconds > most) out_of_range(whole_text);
    if (samples % 10 == 0) {
      samples /= 10;
    } else {
      seconds *= 10;
    }
  }
  if (samples > most || seconds > most) out_of_range(whole_text);
  const auto a = static_cast<std::int64_t>(samples), b = static_cast<std::int64_t>(seconds);
  const std::int64_t common = std::gcd(a, b);
  out = {a / common, b / common};
}

std::string to_text(const Rate& rate) {
  return fmt::format("{}Hz", static_cast<double>(rate.samples) / static_cast<double>(rate.seconds));
}

Records stamp(const Records& records, const Stamp& options) {
  if (!records.untimed) fail_usage("stamp: these records have times of their own");
  detail::check_options(options);
  const Calendar calendar = options.days.read().value_or(Calendar());
  if (const auto* count = std::get_if<CountFrom>(&options.by)) {
    return counted(records, options, *count);
  }
  if (std::holds_alternative<std::monostate>(options.by)) fail_usage("{}", Stamp::ways);
  const auto rate = rate_of(records, options);
  const auto start = start_of(records, options);
  if (rate && !start) {
    if (options.elapsed) fail_usage("stamp: ‹elapsed›: the times are seconds elapsed already");
    refuse_zone(records);
    Records out = stamped(records, Clock(Instant{}, *rate), false);
    out.time.name = "elapsed_s";
    out.time.axis = {ElapsedUnit::s};
    check_time_name(out);
    return out;
  }
  if (!start) {
    fail_usage(
        "stamp: say when the first record was: ‹start› T, or ‹start_from› NAME; or count from "
        "zero: ‹rate› alone, or ‹count_from› N");
  }
  if (rate) {
    if (!calendar.is_plain()) fail_usage("stamp: working days go with ‹every›, not with a rate");
    return stamped(records, Clock(*start, *rate), options.elapsed);
  }
  return stamped(records,
                 Periods(*start, std::get<Period>(options.by), records.time.zone, calendar),
                 options.elapsed);
}

}  // namespace zerobeat
