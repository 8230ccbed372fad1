#include "regular/parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "base/trim.hpp"

namespace zerobeat::inline v1 {

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

namespace zerobeat::inline v1::detail {

Column column_of_dates(std::span<const std::int64_t> days) {
  std::vector<std::string> words;
  for (const std::int64_t day : days) {
    const std::chrono::year_month_day date{std::chrono::sys_days(std::chrono::days(day))};
    words.push_back(fmt::format("{:04}-{:02}-{:02}", static_cast<int>(date.year()),
                                static_cast<unsigned>(date.month()),
                                static_cast<unsigned>(date.day())));
  }
  return Column(words);
}

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
    case Part::Kind::date:
    case Part::Kind::year:
    case Part::Kind::value:
      break;
  }
  return {0, -1};
}

std::int64_t PartReader::number(Part::Kind kind) const {
  switch (kind) {
    case Part::Kind::minute:
      return civil_.minute();
    case Part::Kind::hour:
      return civil_.hour();
    case Part::Kind::day:
      return civil_.day();
    case Part::Kind::weekday:
      return (civil_.weekday() + 6 - static_cast<std::int64_t>(week_starts_)) % 7;
    case Part::Kind::yearday:
      return civil_.yearday();
    case Part::Kind::date: {
      const std::chrono::year_month_day date{
          std::chrono::year(static_cast<int>(civil_.year())),
          std::chrono::month(static_cast<unsigned>(civil_.month())),
          std::chrono::day(static_cast<unsigned>(civil_.day()))};
      return std::chrono::sys_days(date).time_since_epoch().count();
    }
    case Part::Kind::week:
      return civil_.week();
    case Part::Kind::month:
      return civil_.month();
    case Part::Kind::quarter:
      return (civil_.month() - 1) / 3 + 1;
    case Part::Kind::year:
      return civil_.year();
    case Part::Kind::value:
      break;
  }
  return 0;
}

}  // namespace zerobeat::detail
