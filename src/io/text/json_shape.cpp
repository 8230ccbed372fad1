#include "io/text/json_shape.hpp"

#include <simdjson.h>

#include <algorithm>
#include <bit>
#include <cstring>

#include "base/eight_digits.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::uint64_t ones = 0x0101010101010101;
constexpr std::uint64_t highs = 0x8080808080808080;

constexpr std::uint64_t zero_bytes(std::uint64_t word) { return (word - ones) & ~word & highs; }

/// Where a string whose text begins at `at` has its closing quote. Null when it has an escape, a
/// control character, or no end. Bytes beyond ASCII are passed over, and told.
const char* closing_quote(const char* at, const char* end, bool& beyond_ascii) {
  std::uint64_t high = 0;
  for (; end - at >= 8; at += 8) {
    const std::uint64_t word = load8(at);
    const std::uint64_t controls = (word - ones * 0x20) & ~word & highs;
    const std::uint64_t stops =
        zero_bytes(word ^ ones * '"') | zero_bytes(word ^ ones * '\\') | controls;
    high |= word & highs;
    if (stops == 0) continue;
    // The lowest mark is right; those above it may be borrowed.
    at += std::countr_zero(stops) / 8;
    beyond_ascii |= high != 0;
    return *at == '"' ? at : nullptr;
  }
  for (; at != end; ++at) {
    const auto letter = static_cast<unsigned char>(*at);
    if (letter == '"') break;
    if (letter == '\\' || letter < 0x20) return nullptr;
    high |= letter & 0x80U;
  }
  beyond_ascii |= high != 0;
  return at == end ? nullptr : at;
}

/// True when the text at `at` begins with the `length` bytes at `known`, which 8 more follow.
bool begins_with(const char* at, const char* end, const char* known, std::size_t length) {
  if (static_cast<std::size_t>(end - at) < length + 8) {
    return static_cast<std::size_t>(end - at) >= length && std::memcmp(at, known, length) == 0;
  }
  for (; length >= 8; length -= 8, at += 8, known += 8) {
    if (load8(at) != load8(known)) return false;
  }
  const std::uint64_t differ = load8(at) ^ load8(known);
  return length == 0 || differ << (64 - 8 * length) == 0;
}

bool is_digit(char letter) { return letter >= '0' && letter <= '9'; }

/// The end of the number that begins at `at`; null when there is none as JSON writes them.
const char* end_of_number(const char* at, const char* end) {
  const auto digits = [&] {
    const char* const from = at;
    while (at != end && is_digit(*at)) ++at;
    return at - from;
  };
  if (at != end && *at == '-') ++at;
  const bool zero = at != end && *at == '0';
  const auto whole = digits();
  if (whole == 0 || (zero && whole > 1)) return nullptr;
  if (at != end && *at == '.') {
    ++at;
    if (digits() == 0) return nullptr;
  }
  if (at != end && (*at == 'e' || *at == 'E')) {
    ++at;
    if (at != end && (*at == '+' || *at == '-')) ++at;
    if (digits() == 0) return nullptr;
  }
  return at;
}

}  // namespace

bool is_json_number(std::string_view text) {
  const char* const end = text.data() + text.size();
  return end_of_number(text.data(), end) == end;
}

void JsonShape::learn(std::string_view line, const std::vector<Value>& values) {
  around_.clear();
  parts_.clear();
  std::size_t at = 0;
  const auto part_before = [&](std::size_t end, std::size_t cell) {
    const std::size_t begin = around_.size();
    around_ += line.substr(at, end - at);
    return Part{begin, around_.size() - begin, cell};
  };
  for (const auto& value : values) {
    parts_.push_back(part_before(value.begin, value.cell));
    at = value.begin + value.length;
  }
  rest_ = part_before(line.size(), 0);
  around_.append(8, ' ');
  std::vector<std::size_t> own;
  for (const auto& part : parts_) own.push_back(part.cell);
  std::ranges::sort(own);
  cells_ = static_cast<std::size_t>(std::unique(own.begin(), own.end()) - own.begin());
}

std::size_t JsonShape::split(std::string_view text, const char* base,
                             SpanCells::Span* spans) const {
  const char* at = text.data();
  const char* const end = at + text.size();
  const auto passes = [&](const Part& part) {
    if (!begins_with(at, end, around_.data() + part.begin, part.length)) return false;
    at += part.length;
    return true;
  };
  const auto passes_word = [&](std::string_view word) {
    if (!std::string_view(at, end).starts_with(word)) return false;
    at += word.size();
    return true;
  };
  bool beyond_ascii = false;
  for (const auto& part : parts_) {
    if (!passes(part) || at == end) return 0;
    const char* const raw = at;
    std::string_view said(raw, 0);
    switch (*at) {
      case '"': {
        const char* const close = closing_quote(at + 1, end, beyond_ascii);
        if (close == nullptr) return 0;
        if (close != raw + 1) said = {raw + 1, close};
        at = close + 1;
        break;
      }
      case 't':
      case 'f':
        if (!passes_word(*at == 't' ? "true" : "false")) return 0;
        said = {raw, at};
        break;
      case 'n':
        if (!passes_word("null")) return 0;
        break;
      default:
        at = end_of_number(at, end);
        if (at == nullptr) return 0;
        said = {raw, at};
    }
    spans[part.cell] = {said.data(), static_cast<std::uint32_t>(said.size()),
                        static_cast<std::uint32_t>(at - raw),
                        static_cast<std::uint32_t>(raw - base)};
  }
  if (!passes(rest_)) return 0;
  const char* const stop = at;
  if (at != end && *at == '\r') ++at;
  if (at != end && *at != '\n') return 0;
  const std::string_view line(text.data(), stop);
  if (beyond_ascii && !simdjson::validate_utf8(line.data(), line.size())) return 0;
  return line.size();
}

}  // namespace zerobeat::detail
