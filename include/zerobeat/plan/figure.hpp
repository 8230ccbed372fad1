/// Figures: what a picture of timelines shows.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/option.hpp>

namespace zerobeat {

/// Width and height in pixels.
struct Size {
  int width = 1280;
  int height = 800;

  friend bool operator==(const Size&, const Size&) = default;
};

/// Reads "1280x800".
void from_text(std::string_view text, Size& out);
std::string to_text(const Size& size);

struct Figure {
  std::vector<std::string> y{};   ///< columns on the left axis; empty: every numeric one
  std::vector<std::string> y2{};  ///< columns on the right axis
  std::string over{};             ///< a second file (in a plan: series) laid over the others
  Size size{};

  friend bool operator==(const Figure&, const Figure&) = default;
};

template <typename Visitor, OptionsOf<Figure> O>
void fields(Visitor&& visit, O& o) {
  visit("y", o.y, "COLUMNS", "columns on the left axis; unset: every numeric one");
  visit("y2", o.y2, "COLUMNS", "columns on the right axis");
  visit("over", o.over, "FILE", "a second file laid over the others (in a plan: a series)");
  visit("size", o.size, "WxH", "width and height in pixels");
}

}  // namespace zerobeat
