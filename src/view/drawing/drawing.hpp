/// A drawing: what a picture shows, as shapes in panels with axes. Pictures draw into one; layout
/// gives every part its place; writers turn the two into a file, or into a terminal's letters.
///
/// Shapes are in the units of their panel's axes; nothing here knows of pixels.

#pragma once

#include <functional>
#include <limits>
#include <optional>
#include <string>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Point {
  double x = 0;
  double y = 0;
};

enum class Dash { solid, dashed, dotted, mixed };
enum class Mark { dot, ring, cross, up, down };

/// A line in stretches, open between them.
struct LineShape {
  std::vector<std::vector<Point>> stretches{};
  std::string ink{};
  double width = 1.6;
  Dash dash = Dash::solid;
  bool dots = false;  ///< and a dot at each point
};

/// Takes out of a line what is one point alone, which a line does not show.
std::vector<Point> take_lone_points(LineShape& line);

struct PointShape {
  std::vector<Point> points{};
  std::string ink{};
  Mark mark = Mark::dot;
  double size = 5;  ///< pixels across
};

/// A side that is infinite is that of the panel.
struct Box {
  double left = 0, right = 0;
  double bottom = -std::numeric_limits<double>::infinity();
  double top = std::numeric_limits<double>::infinity();
};

/// Bars, strips and shades.
struct BoxShape {
  std::vector<Box> boxes{};
  std::string ink{};
  bool hatched = false;
  bool edged = false;  ///< a white line around each
};

/// Boxes whose ink is their value's place on the panel's scale.
struct HeatShape {
  std::vector<Box> boxes{};
  std::vector<double> values{};
};

struct AreaRow {
  double x = 0, low = 0, high = 0;
};

/// What lies between a lower and an upper line, in stretches.
struct AreaShape {
  std::vector<std::vector<AreaRow>> stretches{};
  std::string ink{};
};

/// A straight line from one side of the panel to the other.
struct RuleShape {
  double at = 0;
  bool vertical = false;
  std::string ink{};
  Dash dash = Dash::dashed;
  double width = 1.4;
};

/// What to do with each kind of shape: std::visit(Overloaded{…}, shape.what).
template <class... Ts>
struct Overloaded : Ts... {
  using Ts::operator()...;
};
template <class... Ts>
Overloaded(Ts...) -> Overloaded<Ts...>;

/// Shapes lie on one another in their order.
struct DrawnShape {
  std::variant<LineShape, PointShape, BoxShape, HeatShape, AreaShape, RuleShape> what{};
  std::string name{};  ///< what it is called, whole
  bool right_axis = false;
  bool in_key = true;  ///< named in the panel's key, if it has a name
};

/// A text that stands by something in the panel. PlacedDrawing keeps texts clear of each other.
struct Label {
  /// `inside`: beside the point; `right`: in the margin, at that height; `above`: over the panel,
  /// at that place.
  enum class Where { inside, right, above };

  std::string text{};
  double x = 0, y = 0;
  std::string ink{};
  Where where = Where::inside;
  bool right_axis = false;
};

struct AxisTick {
  double at = 0;
  std::string text{};
  std::string below{};       ///< a second line: the date
  std::string below_that{};  ///< a third: the year
};

struct DrawnAxis {
  double low = 0, high = 1;
  bool log = false;
  bool reversed = false;  ///< low is at the top
  bool grid = true;
  bool marks = true;  ///< a short line at each tick
  bool line = true;
  std::string name{};
  /// Ticks, about so many at most; unset: at round numbers.
  std::function<std::vector<AxisTick>(int most)> ticks{};
};

/// Which ink a value of a cell has: from pale to dark.
struct ColorScale {
  double low = 0, high = 1;
  std::string name{};
};

struct Panel {
  std::string title{};
  DrawnAxis x{}, y{};
  std::optional<DrawnAxis> right{};
  std::vector<DrawnShape> shapes{};
  std::vector<Label> labels{};
  std::optional<ColorScale> scale{};
  std::string empty{};  ///< why there is nothing in it
};

/// Panels side by side; `height` is its share of the drawing's.
struct PanelRow {
  std::vector<Panel> panels{};
  double height = 1;
};

struct Drawing {
  std::string title{}, subtitle{};
  std::vector<PanelRow> rows{};
  std::string name{};         ///< for those who can't see it: what it is
  std::string description{};  ///< and what it shows
};

/// The inks of lines. Any two, and the two below, are at least 16 apart in CIELAB, as people see
/// them who lack the cones for long or for middle waves, too (Machado, Oliveira, Fernandes 2009;
/// Viénot, Brettel, Mollon 1999), and 36 as others do.
inline constexpr const char* inks[] = {"#105a99", "#af3c2c", "#7ab353", "#6d126c",
                                       "#8b7b00", "#00827f", "#ad7ec5", "#b7846c"};
inline constexpr const char* pale_ink = "#a9bac4";
inline constexpr const char* text_ink = "#333c44";
inline constexpr const char* soft_ink = "#6a747c";
inline constexpr const char* frame_ink = "#5a6670";
inline constexpr const char* grid_ink = "#e3e8ec";
inline constexpr const char* changed_ink = "#b03a1e";
inline constexpr const char* band_ink = "#dfe8ee";
inline constexpr const char* spell_ink = "#dcebe4";
inline constexpr const char* gap_ink = "#f0e6d2";

/// The ink of the n-th line, and how it is broken, so that more than six lines differ by more than
/// their ink.
std::string ink(std::size_t n);
Dash dash(std::size_t n);

/// The ink at a share of the way from pale to dark.
std::string scale_ink(double share);

/// A value as people read it, to so many significant digits: thousands apart.
std::string value_text(double value, int digits = 6);

/// Ticks at 1, 2 or 5 times a power of ten, about so many at most.
std::vector<AxisTick> round_ticks(double low, double high, int most);
/// At 1, 2 and 5 of each power of ten; of many powers at some of those alone.
std::vector<AxisTick> log_ticks(double low, double high, int most);
/// An axis' ticks: its own, or round ones.
std::vector<AxisTick> ticks_of(const DrawnAxis& axis, int most);

/// An axis of words at 0, 1, 2 …, from half a place before the first; as many of them are written
/// as there is room for, when so many have that of a number's tick.
DrawnAxis word_axis(const std::vector<std::string>& words, double in_the_room_of_one);

/// A panel that holds nothing and says why.
Drawing empty_drawing(const std::string& why);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
