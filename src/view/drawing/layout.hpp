/// Layout: where each part of a drawing stands, so that no text lies on another or on what is
/// drawn.
///
/// In pixels from the upper left corner, downwards. Of a terminal a pixel is a dot of its letters.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "view/drawing/drawing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How large texts and their surroundings are.
struct Metrics {
  double (*width)(std::string_view text) = nullptr;  ///< of a text of plain size
  double line = 0;                                   ///< from one line of text to the next
  double gap = 0;                                    ///< between things that stand apart
  double sample = 0;                                 ///< of a line in the key
  double tick_room_x = 0, tick_room_y = 0;           ///< for each tick of an axis
  double scale_bar = 0;                              ///< how wide it is
  bool turns = true;                                 ///< texts can stand upright
};

/// Of pictures: DejaVu Sans of 11 points, a point being 4/3 pixels.
Metrics picture_metrics();
/// Of a terminal whose letters are two dots wide and four high.
Metrics letter_metrics();

struct PlacedText {
  enum class Anchor { left, center, right };

  std::string text{};
  double x = 0, y = 0;  ///< its anchor; y is the middle of the line
  Anchor anchor = Anchor::left;
  std::string ink{};
  double size = 1;  ///< times the plain one
  bool turned = false;
  bool boxed = false;   ///< on a ground of its own
  std::string whole{};  ///< what it is when it had to be cut
};

/// What a text covers.
struct TextBox {
  double left = 0, right = 0, top = 0, bottom = 0;
};
TextBox box_of(const PlacedText& text, const Metrics& metrics);
bool overlap(const TextBox& a, const TextBox& b);

/// A line, mark or box of the key.
struct PlacedSample {
  double left = 0, y = 0;
  const DrawnShape* shape = nullptr;
};

struct PlacedPanel {
  const Panel* panel = nullptr;
  double left = 0, right = 0, top = 0, bottom = 0;
  std::vector<AxisTick> x_ticks{}, y_ticks{}, right_ticks{};
  double scale_left = 0;  ///< of the color scale's bar

  [[nodiscard]] double x(double value) const;
  [[nodiscard]] double y(double value, bool right_axis = false) const;
};

struct PlacedDrawing {
  double width = 0, height = 0;
  std::vector<PlacedPanel> panels{};
  std::vector<PlacedText> texts{};
  std::vector<PlacedSample> samples{};
};

/// The drawing must outlive what is returned.
PlacedDrawing lay_out(const Drawing& drawing, double width, double height, const Metrics& metrics);

/// A text cut in its middle until it is no wider.
std::string cut_to(std::string_view text, double width, const Metrics& metrics);

/// A text as pictures have it: marks that control or turn the text around them as \uXXXX.
std::string drawn_text(std::string_view text);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
