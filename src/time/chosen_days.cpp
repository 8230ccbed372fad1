#include <charconv>
#include <zerobeat/time/chosen_days.hpp>

#include "base/trim.hpp"
#include "time/weekday_word.hpp"

namespace zerobeat::inline v1 {

namespace {

/// Reads words and ranges of numbers in [first, last], round past the end.
template <std::size_t N, typename Read>
std::bitset<N> chosen_of(std::string_view text, std::size_t first, std::size_t last, Read&& read) {
  std::bitset<N> chosen;
  for (const auto& part : split_commas(text)) {
    const std::string_view word = part;
    const std::size_t dash = word.find('-');
    const std::size_t from = read(detail::trim(word.substr(0, dash)));
    const std::size_t until =
        dash == std::string_view::npos ? from : read(detail::trim(word.substr(dash + 1)));
    for (std::size_t i = from;; i = i == last ? first : i + 1) {
      chosen.set(i);
      if (i == until) break;
    }
  }
  return chosen;
}

/// Words of what is set, runs of three or more as ranges.
template <std::size_t N, typename Word>
std::string text_of(const std::bitset<N>& chosen, const std::vector<std::size_t>& order,
                    Word&& word) {
  std::string text;
  for (std::size_t i = 0; i < order.size();) {
    std::size_t end = i;
    while (end < order.size() && chosen[order[end]]) ++end;
    if (end == i) {
      ++i;
      continue;
    }
    if (!text.empty()) text += ',';
    text += word(order[i]);
    if (end - i == 2) text += "," + word(order[end - 1]);
    if (end - i > 2) text += "-" + word(order[end - 1]);
    i = end;
  }
  return text;
}

std::size_t month_from(std::string_view text) {
  std::size_t month = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), month);
  if (error != std::errc() || end != text.data() + text.size() || month < 1 || month > 12) {
    fail_usage("\"{}\" is not a month; months are numbers from 1 to 12, like 5-8,12", text);
  }
  return month;
}

}  // namespace

void from_text(std::string_view text, Weekdays& out) {
  const Weekdays read{chosen_of<7>(text, 0, 6, detail::weekday_from)};
  if (read.days.none()) fail_usage("\"{}\" names no weekday; write it like mon-fri,sun", text);
  out = read;
}

std::string to_text(const Weekdays& weekdays) {
  return text_of(weekdays.days, {1, 2, 3, 4, 5, 6, 0},
                 [](std::size_t day) { return std::string(detail::weekday_word(day)); });
}

void from_text(std::string_view text, Months& out) {
  const Months read{chosen_of<13>(text, 1, 12, month_from)};
  if (read.months.none()) fail_usage("\"{}\" names no month; write it like 5-8,12", text);
  out = read;
}

std::string to_text(const Months& months) {
  return text_of(months.months, {1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12},
                 [](std::size_t month) { return std::to_string(month); });
}

}  // namespace zerobeat
