#include "io/judge/cells.hpp"

#include <fast_float/fast_float.h>

#include <cctype>
#include <charconv>
#include <cmath>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "base/trim.hpp"

namespace zerobeat::inline v1::detail {

namespace {

char lower(char c) { return static_cast<char>(std::tolower(static_cast<unsigned char>(c))); }

bool same_word(std::string_view text, std::string_view lower_word) {
  if (text.size() != lower_word.size()) return false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (lower(text[i]) != lower_word[i]) return false;
  }
  return true;
}

constexpr double powers_of_ten[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                    1e8,  1e9,  1e10, 1e11, 1e12, 1e13, 1e14, 1e15,
                                    1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};

/// Whatever is not a short plain decimal.
NumberReading read_long_number(std::string_view text, char decimal_mark) {
  text = trim(text);
  if (text.empty()) return {};
  std::string_view digits = text;
  if (digits.front() == '+' || digits.front() == '-') digits.remove_prefix(1);
  if (digits.empty() || digits.front() == '+' || digits.front() == '-') return {};
  const bool negative = text.front() == '-';
  for (const std::string_view word : {"inf", "infinity"}) {
    if (same_word(digits, word))
      return {NumberReading::Kind::number, 0, negative ? -HUGE_VAL : HUGE_VAL};
  }
  const bool starts_as_number = std::isdigit(static_cast<unsigned char>(digits.front())) != 0 ||
                                digits.front() == decimal_mark;
  if (!starts_as_number) return {};

  std::string turned;
  if (decimal_mark != '.') {
    if (digits.find('.') != std::string_view::npos) return {};
    turned = digits;
    for (char& c : turned) {
      if (c == decimal_mark) c = '.';
    }
    digits = turned;
  }
  NumberReading reading;
  if (digits.find_first_not_of("0123456789") == std::string_view::npos) {
    std::uint64_t size = 0;
    const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), size);
    const std::uint64_t most = std::uint64_t{1} << 63;
    if (error == std::errc() && (size < most || (negative && size == most))) {
      reading.kind = NumberReading::Kind::integer;
      reading.integer = static_cast<std::int64_t>(negative ? 0 - size : size);
      return reading;
    }
    reading.wide = true;
  }
  const auto [end, error] =
      fast_float::from_chars(digits.data(), digits.data() + digits.size(), reading.number);
  if (error != std::errc() || end != digits.data() + digits.size()) return {};
  if (std::isinf(reading.number)) return {};
  if (negative) reading.number = -reading.number;
  reading.kind = NumberReading::Kind::number;
  return reading;
}

}  // namespace

MissingWords::MissingWords(const std::vector<std::string>& further)
    : words_{"na", "n/a", "nan", "null", "none", "-"}, has_further_(!further.empty()) {
  for (const auto& word : further) {
    std::string lower_word;
    for (const char c : trim(word)) lower_word += lower(c);
    words_.push_back(lower_word);
  }
  for (const auto& word : words_) {
    if (word.empty()) continue;
    first_[static_cast<unsigned char>(word[0])] = true;
    first_[static_cast<unsigned char>(std::toupper(static_cast<unsigned char>(word[0])))] = true;
  }
}

bool MissingWords::holds(std::string_view text) const {
  text = trim(text);
  if (text.empty()) return true;
  if (!first_[static_cast<unsigned char>(text[0])]) return false;
  for (const auto& word : words_) {
    if (same_word(text, word)) return true;
  }
  return false;
}

NumberReading read_number(std::string_view text, char decimal_mark) {
  // A short plain decimal: at most 15 digits make an exact double, and a power of ten up to 22
  // is one too, so one division rounds once (Clinger 1990).
  const char* p = text.data();
  const char* const end = p + text.size();
  const bool negative = p != end && *p == '-';
  if (negative) ++p;
  std::uint64_t mantissa = 0;  // of more than 15 digits, nobody looks at it
  const char* const digits = p;
  while (p != end && static_cast<unsigned char>(*p - '0') <= 9)
    mantissa = mantissa * 10 + static_cast<std::uint64_t>(*p++ - '0');
  const auto whole = p - digits;
  if (whole == 0 || whole > 15) return read_long_number(text, decimal_mark);
  NumberReading reading;
  if (p == end) {
    if (negative && mantissa == 0) return {NumberReading::Kind::number, 0, -0.0};
    reading.kind = NumberReading::Kind::integer;
    const auto size = static_cast<std::int64_t>(mantissa);
    reading.integer = negative ? -size : size;
    return reading;
  }
  if (*p != decimal_mark) return read_long_number(text, decimal_mark);
  const char* const fraction = ++p;
  if (end - fraction > 15 - whole) return read_long_number(text, decimal_mark);
  while (p != end && static_cast<unsigned char>(*p - '0') <= 9)
    mantissa = mantissa * 10 + static_cast<std::uint64_t>(*p++ - '0');
  if (p != end) return read_long_number(text, decimal_mark);
  const double value = static_cast<double>(mantissa) / powers_of_ten[p - fraction];
  reading.kind = NumberReading::Kind::number;
  reading.number = negative ? -value : value;
  return reading;
}

namespace {

/// Characters of `set` and spaces at the front of `text`, taken off.
std::string_view strip_front(std::string_view text, std::string_view set) {
  for (;;) {
    text = trim(text);
    if (text.empty()) return text;
    const std::size_t length = std::max<std::size_t>(1, utf8_length(text));
    if (set.find(text.substr(0, length)) == std::string_view::npos) return text;
    text.remove_prefix(length);
  }
}

std::string_view strip_back(std::string_view text, std::string_view set) {
  for (;;) {
    text = trim(text);
    if (text.empty()) return text;
    std::size_t from = text.size() - 1;
    while (from > 0 && (static_cast<unsigned char>(text[from]) & 0xC0) == 0x80) --from;
    if (set.find(text.substr(from)) == std::string_view::npos) return text;
    text.remove_suffix(text.size() - from);
  }
}

/// The length of the grouping mark that `text` begins with; 0 for none.
std::size_t mark_length(std::string_view text, std::string_view mark) {
  if (text.starts_with(mark)) return mark.size();
  if (mark != " ") return 0;
  for (const std::string_view space : {"\xC2\xA0", "\xE2\x80\xAF", "\xE2\x80\x89"}) {
    if (text.starts_with(space)) return space.size();
  }
  return 0;
}

/// Without the marks between groups of digits; nullopt when they do not stand between groups.
std::optional<std::string> without_marks(std::string_view text, const NumberShape& shape) {
  std::string out;
  std::size_t at = 0;
  if (at < text.size() && (text[at] == '+' || text[at] == '-')) out += text[at++];
  std::size_t group = 0, groups = 1;
  while (at < text.size()) {
    const char c = text[at];
    if (c >= '0' && c <= '9') {
      out += c;
      ++group;
      ++at;
      continue;
    }
    const std::size_t mark =
        c == shape.decimal_mark ? 0 : mark_length(text.substr(at), shape.thousands);
    if (mark == 0) break;
    const bool good = groups == 1 ? group >= 1 && group <= 3 : group == 3 || group == 2;
    if (!good) return std::nullopt;
    ++groups;
    group = 0;
    at += mark;
  }
  if (groups > 1 && group != 3) return std::nullopt;
  out += text.substr(at);
  return out;
}

}  // namespace

NumberReading read_number(std::string_view text, const NumberShape& shape) {
  NumberReading reading = read_number(text, shape.decimal_mark);
  if (reading.kind != NumberReading::Kind::unreadable || shape.is_plain()) return reading;
  std::string_view inside = text;
  std::string signed_text;
  if (!shape.strip.empty()) {
    inside = strip_back(strip_front(text, shape.strip), shape.strip);
    // Between a sign and the digits, too: -$5.
    if (!inside.empty() && (inside[0] == '-' || inside[0] == '+')) {
      signed_text = inside[0];
      signed_text += strip_front(inside.substr(1), shape.strip);
      inside = signed_text;
    }
  }
  if (shape.thousands.empty()) return read_number(inside, shape.decimal_mark);
  const auto plain = without_marks(trim(inside), shape);
  return plain ? read_number(*plain, shape.decimal_mark) : NumberReading{};
}

}  // namespace zerobeat::detail
