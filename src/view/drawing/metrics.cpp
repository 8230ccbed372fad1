#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <zerobeat/base/text.hpp>

#include "view/drawing/layout.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Thousandths of its size by which DejaVu Sans goes on after each letter from the space to the
/// tilde.
constexpr std::array<int, 95> advances{
    318, 401, 460, 838, 636, 950, 780, 275, 390, 390, 500, 838, 318, 361,  318, 337, 636, 636, 636,
    636, 636, 636, 636, 636, 636, 636, 337, 337, 838, 838, 838, 531, 1000, 684, 686, 698, 770, 632,
    575, 775, 752, 295, 295, 656, 557, 863, 748, 787, 603, 787, 695, 635,  611, 732, 684, 989, 685,
    611, 685, 390, 337, 390, 838, 500, 500, 613, 635, 550, 635, 615, 352,  635, 634, 278, 278, 579,
    278, 974, 634, 612, 635, 635, 411, 521, 392, 634, 592, 818, 592, 592,  525, 636, 337, 636, 838};

constexpr double picture_em = 44.0 / 3;

/// Whether a letter takes the room of two, as those of East Asia do.
bool is_wide(char32_t code) {
  return (code >= 0x1100 && code <= 0x115f) || (code >= 0x2e80 && code <= 0xa4cf) ||
         (code >= 0xac00 && code <= 0xd7a3) || (code >= 0xf900 && code <= 0xfaff) ||
         (code >= 0xfe30 && code <= 0xfe6f) || (code >= 0xff00 && code <= 0xff60) ||
         (code >= 0x1f300 && code <= 0x1faff);
}

template <typename Each>
double sum_of_letters(std::string_view text, const Each& each) {
  double sum = 0;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t length = std::max<std::size_t>(1, utf8_length(text.substr(at)));
    sum += each(length == 1 ? static_cast<char32_t>(static_cast<unsigned char>(text[at]))
                            : static_cast<char32_t>(utf8_code(text.substr(at, length))));
    at += length;
  }
  return sum;
}

double picture_width(std::string_view text) {
  // Letters stand on whole pixels, which makes a line a little longer than it is by its design.
  constexpr double rounded_up = 1.03;
  return picture_em * rounded_up * sum_of_letters(text, [](char32_t code) {
           if (code >= 32 && code < 127) return advances[code - 32] / 1000.0;
           return is_wide(code) || code == U'…' ? 1.0 : 0.64;
         });
}

double letters_width(std::string_view text) {
  return sum_of_letters(text, [](char32_t code) { return is_wide(code) ? 4.0 : 2.0; });
}

}  // namespace

Metrics picture_metrics() {
  return {.width = picture_width,
          .line = 19,
          .gap = 8,
          .sample = 26,
          .tick_room_x = 84,
          .tick_room_y = 48,
          .scale_bar = 18,
          .turns = true};
}

Metrics letter_metrics() {
  return {.width = letters_width,
          .line = 4,
          .gap = 2,
          .sample = 6,
          .tick_room_x = 26,
          .tick_room_y = 14,
          .scale_bar = 4,
          .turns = false};
}

std::string drawn_text(std::string_view text) {
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t length = utf8_length(text.substr(at));
    const auto code = length == 0 ? 0xfffd : utf8_code(text.substr(at, length));
    constexpr std::uint32_t between_keys = 0x1f;  // see key_parts()
    if (code == between_keys) {
      out += '+';
    } else if (is_unprintable(code)) {
      out += fmt::format("\\u{:04x}", code);
    } else if (length == 0) {
      out += "\xef\xbf\xbd";
    } else {
      out += text.substr(at, length);
    }
    at += std::max<std::size_t>(1, length);
  }
  return out;
}

std::string cut_to(std::string_view text, double width, const Metrics& metrics) {
  if (metrics.width(text) <= width) return std::string(text);
  std::vector<std::string_view> letters;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t length = std::max<std::size_t>(1, utf8_length(text.substr(at)));
    letters.push_back(text.substr(at, length));
    at += length;
  }
  for (std::size_t kept = letters.size() - 1; kept > 0; --kept) {
    const std::size_t first = (kept + 1) / 2, last = kept - first;
    std::string cut;
    for (std::size_t i = 0; i < first; ++i) cut += letters[i];
    cut += "…";
    for (std::size_t i = letters.size() - last; i < letters.size(); ++i) cut += letters[i];
    if (metrics.width(cut) <= width || kept == 1) return cut;
  }
  return "…";
}

}  // namespace zerobeat::detail
