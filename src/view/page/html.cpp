#include "view/page/html.hpp"

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "view/drawing/layout.hpp"

namespace zerobeat::inline v1::detail {

std::string escaped(std::string_view text) {
  std::string out;
  for (const char c : drawn_text(text)) {
    switch (c) {
      case '&':
        out += "&amp;";
        break;
      case '<':
        out += "&lt;";
        break;
      case '>':
        out += "&gt;";
        break;
      case '"':
        out += "&quot;";
        break;
      case '\'':
        out += "&#39;";
        break;
      default:
        out += c;
    }
  }
  return out;
}

std::string attribute(std::string_view name, std::string_view value) {
  return fmt::format(" {}=\"{}\"", name, escaped(value));
}

std::string attribute(std::string_view name, std::int64_t value) {
  return fmt::format(" {}=\"{}\"", name, value);
}

std::string attribute(std::string_view name, double value) {
  return std::isfinite(value) ? fmt::format(" {}=\"{}\"", name, value) : std::string();
}

std::string pixel(double value) {
  std::string text = fmt::format("{:.1f}", std::clamp(value, -1e5, 1e5));
  if (text.ends_with(".0")) text.resize(text.size() - 2);
  return text;
}

std::string shortened(std::string_view text, std::size_t letters) { return shown(text, letters); }

}  // namespace zerobeat::detail
