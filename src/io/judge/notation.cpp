#include "io/judge/notation.hpp"

#include <algorithm>
#include <zerobeat/base/text.hpp>

#include "base/trim.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The characters before the first digit and after the last, signs and marks left out. Returns
/// false when there are letters among them, which make names: p1 is no number.
bool gather_around(std::string_view text, std::string& set) {
  const std::size_t first = text.find_first_of("0123456789");
  const std::size_t last = text.find_last_of("0123456789");
  if (first == std::string_view::npos) return true;
  for (std::string_view part : {text.substr(0, first), text.substr(last + 1)}) {
    while (!part.empty()) {
      const std::size_t length = std::max<std::size_t>(1, utf8_length(part));
      const std::string_view word = part.substr(0, length);
      const char c = word[0];
      if ((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_') return false;
      if (std::string_view("+-.,() \t").find(word) == std::string_view::npos &&
          set.find(word) == std::string::npos) {
        set += word;
      }
      part.remove_prefix(length);
    }
  }
  return true;
}

std::string quoted(const std::string& text) {
  const bool plain =
      text.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ%.,") ==
      std::string::npos;
  return plain ? text : "'" + text + "'";
}

}  // namespace

std::optional<std::string> notation_of(const std::vector<std::string>& samples,
                                       const NumberShape& now, bool comma_first) {
  if (samples.empty()) return std::nullopt;
  std::string around;
  bool are_signs = true;
  for (const auto& sample : samples) are_signs &= gather_around(sample, around);
  constexpr std::size_t most_around = 12;
  if (!are_signs || around.size() > most_around) around.clear();
  struct Candidate {
    NumberShape shape;
    std::string options;
  };
  std::vector<Candidate> candidates;
  for (const bool strips : {false, true}) {
    if (strips && around.empty()) continue;
    const std::string strip = strips ? around : now.strip;
    const auto add = [&](char mark, const std::string& thousands) {
      Candidate candidate{{mark, thousands, strip}, ""};
      const auto option = [&](const std::string& text) {
        candidate.options += (candidate.options.empty() ? "" : " ") + text;
      };
      if (mark != now.decimal_mark) option(mark == ',' ? "‹decimal› comma" : "‹decimal› point");
      if (thousands != now.thousands) {
        option("‹thousands› " + (thousands == " "   ? "' '"
                                 : thousands == "'" ? "\"'\""
                                                    : thousands));
      }
      if (strips) option("‹strip› " + quoted(strip));
      if (!candidate.options.empty()) candidates.push_back(std::move(candidate));
    };
    add(now.decimal_mark, now.thousands);
    if (comma_first && now.decimal_mark == '.' && now.thousands.empty()) add(',', "");
    for (const std::string thousands : {",", ".", " ", "'"}) {
      if (thousands[0] != now.decimal_mark) add(now.decimal_mark, thousands);
    }
    const char other = now.decimal_mark == '.' ? ',' : '.';
    if (now.thousands.empty()) add(other, "");
    for (const std::string thousands : {",", ".", " ", "'"}) {
      if (thousands[0] != other) add(other, thousands);
    }
  }
  for (const Candidate& candidate : candidates) {
    const auto reads = std::ranges::count_if(samples, [&](const std::string& sample) {
      return read_number(sample, candidate.shape).kind != NumberReading::Kind::unreadable;
    });
    if (static_cast<std::size_t>(reads) * 10 >= samples.size() * 9) return candidate.options;
  }
  return std::nullopt;
}

}  // namespace zerobeat::detail
