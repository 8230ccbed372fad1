#include <algorithm>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/trim.hpp"
#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"

namespace zerobeat::inline v1 {

namespace {

const std::vector<std::string>& format_words() {
  static const std::vector<std::string> all{
      "auto",        "iso",         "epoch-s",     "epoch-ms",     "epoch-us",
      "epoch-ns",    "dmy",         "mdy",         "ymd",          "named",
      "compact",     "serial-1900", "serial-1904", "elapsed-ms",   "elapsed-s",
      "elapsed-min", "elapsed-h",   "elapsed-d",   "elapsed-count"};
  return all;
}

constexpr std::ptrdiff_t first_elapsed = 13;  // of the words

struct Score {
  std::size_t reads = 0;
  TimeFormat format;
};

std::size_t count_reading(const TimeFormat& format, std::span<const std::string> samples) {
  TimestampReader reader({.format = format, .repeated = Repeated::earlier});
  return static_cast<std::size_t>(std::ranges::count_if(samples, [&](const std::string& sample) {
    const TimeVerdict verdict = reader.read(sample).verdict;
    return verdict == TimeVerdict::ok || verdict == TimeVerdict::out_of_range;
  }));
}

/// What the samples that are numbers are: years, dates with nothing between, or epochs.
void score_numbers(std::span<const std::string> samples, std::vector<Score>& scores) {
  std::size_t numbers = 0, years = 0, compact = 0;
  TimestampReader epochs({.format = format_of(TimeFormat::Kind::epoch_s)});
  for (const auto& sample : samples) {
    const std::string_view text = detail::trim(sample);
    if (epochs.read(text).verdict == TimeVerdict::unreadable) continue;
    ++numbers;
    const bool whole = std::ranges::all_of(text, detail::is_digit);
    years += whole && text.size() == 4 && (text[0] == '1' || text[0] == '2');
    const bool century = text.starts_with("19") || text.starts_with("20");
    TimestampReader::Civil civil;
    compact += century && detail::read_compact(text, civil) == TimeVerdict::ok;
  }
  // A few that are impossible, 20251301, do not make the rest epochs.
  if (numbers == 0 || (years + compact) * 10 >= numbers * 9) return;
  scores.push_back(
      {numbers, format_of(decide_epoch_unit(epochs.counts(), TimeFormat::Kind::epoch_s).unit)});
}

/// epoch:UNIT:ORIGIN
void read_counted(std::string_view text, TimeFormat& out) {
  const std::size_t first = text.find(':');
  const std::size_t next = text.find(':', first + 1);
  if (next == std::string_view::npos) {
    fail_usage("\"{}\" is not epoch:UNIT:ORIGIN, like epoch:100ns:1601-01-01", text);
  }
  std::string unit(text.substr(first + 1, next - first - 1));
  if (!unit.empty() && !detail::is_digit(unit[0])) unit.insert(0, 1, '1');
  Period period;
  from_text(unit, period);
  constexpr std::int64_t day = std::int64_t{86'400} * 1'000'000'000;
  // A unit of days counts days of 24 hours: it is no calendar.
  if (period.months != 0 || period.days > 100'000 || period.days < 0) {
    fail_usage("\"{}\": a unit of {} has no fixed length", text, unit);
  }
  out.count_ns = period.nanoseconds.count() + period.days * day;
  const std::string_view origin = text.substr(next + 1);
  TimestampReader::Civil civil;
  if (out.count_ns <= 0 || detail::read_iso(origin, civil) != TimeVerdict::ok ||
      civil.nanoseconds != 0) {
    fail_usage("\"{}\": the origin is a date or a time to the second, like 1601-01-01", text);
  }
  out.origin_s = civil.seconds - civil.offset;
  out.kind = TimeFormat::Kind::counted;
  out.pattern = text;
}

}  // namespace

std::optional<TimeFormat> find_time_format(std::span<const std::string> samples) {
  if (samples.empty()) return std::nullopt;
  std::vector<Score> scores;
  score_numbers(samples, scores);
  const auto score = [&](const TimeFormat& format) {
    scores.push_back({count_reading(format, samples), format});
  };
  score(format_of(TimeFormat::Kind::iso));
  for (const DateOrder order : {DateOrder::dmy, DateOrder::mdy, DateOrder::ymd}) {
    score(format_of(TimeFormat::Kind::dated, order));
  }
  score(format_of(TimeFormat::Kind::named));
  score(format_of(TimeFormat::Kind::compact));
  // Of equals the first.
  const auto best = std::ranges::max_element(scores, {}, &Score::reads);
  if (best->reads * 2 < samples.size() || best->reads == 0) return std::nullopt;
  return best->format;
}

bool is_telling(std::string_view text, const TimeFormat& format) {
  const auto digits = std::ranges::count_if(text, detail::is_digit);
  if (is_epoch(format.kind)) {
    const auto whole =
        std::ranges::find_if_not(text.starts_with('-') ? text.substr(1) : text, detail::is_digit);
    return digits >= 9 && whole - text.begin() >= 9;
  }
  if (format.kind == TimeFormat::Kind::dated) return true;
  if (format.kind == TimeFormat::Kind::named) return digits >= 3;
  return digits >= 8 || (format.kind == TimeFormat::Kind::iso && digits >= 7 && text.size() > 7);
}

DateOrderDecision decide_date_order(const TimestampCounts& counts, DateOrder found) {
  // Dates that are so in the order `is`, and, when told, not in the order `is_not`.
  const auto dates = [&](std::size_t is, std::optional<std::size_t> is_not = std::nullopt) {
    std::int64_t all = 0;
    for (std::size_t mask = 0; mask < counts.date_orders.size(); ++mask) {
      const bool in = (mask >> is & 1) != 0 && !(is_not && (mask >> *is_not & 1) != 0);
      if (in) all += counts.date_orders[mask];
    }
    return all;
  };
  const auto at = [](DateOrder order) { return static_cast<std::size_t>(order); };
  const auto differ = [&](std::size_t a, std::size_t b) { return counts.differ[a + b - 1]; };
  DateOrderDecision out;
  out.order = found;
  for (const DateOrder order : {DateOrder::dmy, DateOrder::mdy, DateOrder::ymd}) {
    if (dates(at(order)) > dates(at(out.order))) out.order = order;
  }
  const std::size_t best = at(out.order);
  std::int64_t most = 0;
  for (std::size_t other = 0; other < 3; ++other) {
    if (other == best) continue;
    const bool some_differ = differ(best, other) > 0;
    out.ambiguous |= some_differ && dates(other) == dates(best);
    const std::int64_t only_other = dates(other, best);
    if (some_differ || only_other <= most) continue;
    most = only_other;
    out.also = static_cast<DateOrder>(other);
  }
  return out;
}

EpochUnitDecision decide_epoch_unit(const TimestampCounts& counts, TimeFormat::Kind found) {
  const auto& all = counts.magnitudes;
  constexpr TimeFormat::Kind kinds[] = {TimeFormat::Kind::epoch_s, TimeFormat::Kind::epoch_ms,
                                        TimeFormat::Kind::epoch_us, TimeFormat::Kind::epoch_ns};
  EpochUnitDecision out;
  out.unit = found;
  std::size_t most = all.size();
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (all[i].count > 0 && (most == all.size() || all[i].count > all[most].count)) most = i;
  }
  if (most == all.size()) return out;
  out.unit = kinds[most];
  // Numbers that run on from one magnitude into the next are of one unit, the larger one's:
  // milliseconds of the nineteen-seventies look like seconds at first.
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (i == most || all[i].count == 0) continue;
    const auto& low = all[std::min(i, most)];
    const auto& high = all[std::max(i, most)];
    const bool apart = high.smallest > 100 * low.largest;
    if (apart) {
      const bool more =
          !out.also || all[i].count > all[static_cast<std::size_t>(*out.also) -
                                          static_cast<std::size_t>(TimeFormat::Kind::epoch_s)]
                                          .count;
      if (more) out.also = kinds[i];
    } else if (i > most) {
      out.unit = kinds[i];
    }
  }
  if (out.also == out.unit) out.also.reset();
  return out;
}

void from_text(std::string_view text, TimeFormat& out) {
  out = TimeFormat();
  if (text.find('%') != std::string_view::npos) {
    detail::check_pattern(text);
    out.kind = TimeFormat::Kind::pattern;
    out.pattern = text;
    return;
  }
  if (text.starts_with("epoch:")) {
    read_counted(text, out);
    return;
  }
  const auto word = std::ranges::find(format_words(), text);
  if (word == format_words().end()) {
    fail_usage("\"{}\" is not a time format, nor a pattern with % like \"%d/%m/%Y %H:%M\"{}", text,
               did_you_mean(text, format_words()));
  }
  const auto place = word - format_words().begin();
  if (place < 6) {
    out.kind = static_cast<TimeFormat::Kind>(place);
  } else if (place >= first_elapsed) {
    out.kind = TimeFormat::Kind::elapsed;
    out.unit = static_cast<ElapsedUnit>(place - first_elapsed);
  } else if (place < 9) {
    out = format_of(TimeFormat::Kind::dated, static_cast<DateOrder>(place - 6));
  } else {
    out.kind = static_cast<TimeFormat::Kind>(place - 9 +
                                             static_cast<std::ptrdiff_t>(TimeFormat::Kind::named));
  }
}

std::string to_text(const TimeFormat& format) {
  if (format.kind == TimeFormat::Kind::pattern || format.kind == TimeFormat::Kind::counted)
    return format.pattern;
  if (format.kind == TimeFormat::Kind::dated) return to_text(format.order);
  if (format.kind == TimeFormat::Kind::elapsed) return "elapsed-" + to_text(format.unit);
  const auto kind = static_cast<std::size_t>(format.kind);
  return format_words()[format.kind > TimeFormat::Kind::dated ? kind + 2 : kind];
}

}  // namespace zerobeat
