#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1 {

std::size_t utf8_length(std::string_view text) {
  const auto byte = [&](std::size_t i) -> unsigned {
    return i < text.size() ? static_cast<unsigned char>(text[i]) : 0;
  };
  const auto follows = [&](std::size_t i) { return (byte(i) & 0xc0) == 0x80; };
  if (text.empty()) return 0;
  const unsigned lead = byte(0);
  if (lead < 0x80) return 1;
  // The well-formed sequences of Unicode, table 3-7.
  if (lead >= 0xc2 && lead <= 0xdf) return follows(1) ? 2 : 0;
  if (lead >= 0xe0 && lead <= 0xef) {
    if (!follows(1) || !follows(2)) return 0;
    if (lead == 0xe0 && byte(1) < 0xa0) return 0;
    if (lead == 0xed && byte(1) > 0x9f) return 0;
    return 3;
  }
  if (lead >= 0xf0 && lead <= 0xf4) {
    if (!follows(1) || !follows(2) || !follows(3)) return 0;
    if (lead == 0xf0 && byte(1) < 0x90) return 0;
    if (lead == 0xf4 && byte(1) > 0x8f) return 0;
    return 4;
  }
  return 0;
}

std::uint32_t utf8_code(std::string_view character) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(character[i]); };
  switch (character.size()) {
    case 0:
      return 0;
    case 1:
      return byte(0);
    case 2:
      return (byte(0) & 0x1fU) << 6 | (byte(1) & 0x3fU);
    case 3:
      return (byte(0) & 0x0fU) << 12 | (byte(1) & 0x3fU) << 6 | (byte(2) & 0x3fU);
    default:
      return (byte(0) & 0x07U) << 18 | (byte(1) & 0x3fU) << 12 | (byte(2) & 0x3fU) << 6 |
             (byte(3) & 0x3fU);
  }
}

std::string printable(std::string_view text) {
  const auto is_ascii = [](char c) { return static_cast<unsigned char>(c) < 0x80; };
  if (std::ranges::all_of(text, is_ascii)) return std::string(text);
  std::string out;
  out.reserve(text.size());
  while (!text.empty()) {
    const std::size_t length = utf8_length(text);
    if (length == 0) {
      out += "\xef\xbf\xbd";
      text.remove_prefix(1);
    } else {
      out += text.substr(0, length);
      text.remove_prefix(length);
    }
  }
  return out;
}

std::string shown(std::string_view text, std::size_t most) {
  std::string out;
  std::size_t letters = 0;
  std::size_t at = 0;
  for (; at < text.size() && letters < most; ++letters) {
    const std::size_t length = utf8_length(text.substr(at));
    const auto code = length == 0 ? 0xfffd : utf8_code(text.substr(at, length));
    constexpr std::uint32_t between_keys = 0x1f;  // see key_parts()
    if (code == between_keys) {
      out += '+';
    } else if (is_unprintable(code)) {
      out += code < 0x100 ? fmt::format("\\x{:02x}", code) : fmt::format("\\u{:04x}", code);
    } else if (length == 0) {
      out += "\xef\xbf\xbd";
    } else {
      out += text.substr(at, length);
    }
    at += std::max<std::size_t>(1, length);
  }
  return at < text.size() ? out + "…" : out;
}

std::string shown_lines(std::string_view text) {
  constexpr std::size_t most = 4000, kept = 1500;
  std::string out;
  while (true) {
    const std::size_t end = text.find('\n');
    const std::string_view line = text.substr(0, end);
    if (line.size() <= most) {
      out += shown(line, most);
    } else {
      out +=
          shown(line.substr(0, kept), kept) + " … " + shown(line.substr(line.size() - kept), kept);
    }
    if (end == std::string_view::npos) return out;
    out += '\n';
    text.remove_prefix(end + 1);
  }
}

std::string length_text(double seconds) {
  if (seconds < 1) return fmt::format("{:.3g} s", seconds);
  if (seconds < 120) return fmt::format("{:.4g} s", seconds);
  const auto whole = static_cast<std::int64_t>(std::llround(seconds));
  const std::int64_t days = whole / 86'400, hours = whole / 3600 % 24, minutes = whole / 60 % 60;
  if (days > 0)
    return hours > 0 ? fmt::format("{} d {} h", days, hours) : fmt::format("{} d", days);
  if (hours > 0) {
    return minutes > 0 ? fmt::format("{} h {} min", hours, minutes) : fmt::format("{} h", hours);
  }
  return whole % 60 > 0 ? fmt::format("{} min {} s", minutes, whole % 60)
                        : fmt::format("{} min", minutes);
}

std::string grouped(std::int64_t value) {
  const std::string digits = fmt::format("{}", value);
  const std::size_t first = value < 0 ? 1 : 0;
  std::string out;
  for (std::size_t i = 0; i < digits.size(); ++i) {
    if (i > first && (digits.size() - i) % 3 == 0) out += ',';
    out += digits[i];
  }
  return out;
}

std::string with_underscores(std::string_view name) {
  std::string field(name);
  std::ranges::replace(field, '-', '_');
  return field;
}

std::string with_dashes(std::string_view text) {
  constexpr std::string_view begin_mark = "‹", end_mark = "›";
  std::string out;
  out.reserve(text.size());
  for (;;) {
    const std::size_t begin = text.find(begin_mark);
    if (begin == std::string_view::npos) return out += text;
    const std::string_view after = text.substr(begin + begin_mark.size());
    const std::size_t length = after.find_first_not_of("abcdefghijklmnopqrstuvwxyz0123456789_-");
    out += text.substr(0, begin);
    if (length == 0 || length == std::string_view::npos ||
        !after.substr(length).starts_with(end_mark)) {
      out += begin_mark;
      text = after;
      continue;
    }
    out += "--";
    for (const char letter : after.substr(0, length)) out += letter == '_' ? '-' : letter;
    text = after.substr(length + end_mark.size());
  }
}

}  // namespace zerobeat
