#include "regular/parts.hpp"

#include <algorithm>

#include "base/trim.hpp"
#include "time/civil_names.hpp"

namespace zerobeat {

void from_text(std::string_view text, Part& out) {
  const std::string_view word = detail::trim(text);
  Part read;
  if (word.find(':') != std::string_view::npos) {
    read.kind = Part::Kind::value;
    from_text(word, read.amount);
    out = read;
    return;
  }
  const auto words = enum_words(Part::Kind{});
  const auto known = std::find(words.begin(), words.end() - 1, word);
  if (known == words.end() - 1) {
    fail_usage("\"{}\" is none of {}, nor COLUMN:SIZE{}", word,
               fmt::join(words.begin(), words.end() - 1, " "),
               did_you_mean(word, std::vector<std::string>(words.begin(), words.end() - 1)));
  }
  read.kind = static_cast<Part::Kind>(known - words.begin());
  out = read;
}

std::string to_text(const Part& part) {
  if (part.kind == Part::Kind::value) return to_text(part.amount);
  return std::string(enum_words(part.kind)[static_cast<std::size_t>(part.kind)]);
}

void from_text(std::string_view text, std::vector<Part>& out) {
  std::vector<Part> read;
  for (const auto& part : split_commas(text)) from_text(part, read.emplace_back());
  out = std::move(read);
}

std::string to_text(const std::vector<Part>& parts) {
  std::string text;
  for (const Part& part : parts) text += (text.empty() ? "" : ",") + to_text(part);
  return text;
}

}  // namespace zerobeat

namespace zerobeat::detail {

using namespace std::chrono;

PartRange range_of(Part::Kind kind) {
  switch (kind) {
    case Part::Kind::minute:
      return {0, 59};
    case Part::Kind::hour:
      return {0, 23};
    case Part::Kind::day:
      return {1, 31};
    case Part::Kind::weekday:
      return {0, 6};
    case Part::Kind::yearday:
      return {1, 366};
    case Part::Kind::week:
      return {1, 53};
    case Part::Kind::month:
      return {1, 12};
    case Part::Kind::quarter:
      return {1, 4};
    case Part::Kind::year:
    case Part::Kind::value:
      break;
  }
  return {0, -1};
}

void PartReader::go_to(Instant t) {
  const sys_seconds whole = floor<seconds>(t);
  if (whole < stretch_.from || whole >= stretch_.until) stretch_ = zone_.offset_stretch(whole);
  const local_seconds local((whole + stretch_.offset).time_since_epoch());
  const local_days day = floor<days>(local);
  second_of_day_ = (local - day).count();
  if (day != day_) read_day(day);
}

void PartReader::read_day(local_days day) {
  day_ = day;
  const year_month_day date(day);
  year_ = static_cast<int>(date.year());
  month_ = static_cast<unsigned>(date.month());
  day_of_month_ = static_cast<unsigned>(date.day());
  yearday_ = (day - local_days(date.year() / January / 1)).count() + 1;
  const int from_monday = static_cast<int>(weekday(day).iso_encoding()) - 1;
  weekday_ = (from_monday - static_cast<int>(week_starts_) + 7) % 7;
  week_ = detail::iso_week_of(day).week;
}

std::int64_t PartReader::number(Part::Kind kind) const {
  switch (kind) {
    case Part::Kind::minute:
      return second_of_day_ / 60 % 60;
    case Part::Kind::hour:
      return second_of_day_ / 3600;
    case Part::Kind::day:
      return day_of_month_;
    case Part::Kind::weekday:
      return weekday_;
    case Part::Kind::yearday:
      return yearday_;
    case Part::Kind::week:
      return week_;
    case Part::Kind::month:
      return month_;
    case Part::Kind::quarter:
      return (month_ - 1) / 3 + 1;
    case Part::Kind::year:
      return year_;
    case Part::Kind::value:
      break;
  }
  return 0;
}

}  // namespace zerobeat::detail
