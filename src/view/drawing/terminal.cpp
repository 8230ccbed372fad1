#include "view/drawing/terminal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <iterator>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "view/drawing/layout.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int dots_across = 2, dots_down = 4;

/// The nearest of a terminal's 216 colors and 24 greys.
int color_of(const std::string& ink) {
  if (ink.size() != 7) return -1;
  std::array<int, 3> parts{};
  for (std::size_t i = 0; i < 3; ++i) parts[i] = std::stoi(ink.substr(1 + 2 * i, 2), nullptr, 16);
  constexpr std::array<int, 6> levels{0, 95, 135, 175, 215, 255};
  int cube = 16, cube_off = 0;
  constexpr std::array<int, 3> weights{36, 6, 1};
  for (std::size_t i = 0; i < 3; ++i) {
    std::size_t best = 0;
    for (std::size_t level = 1; level < levels.size(); ++level) {
      if (std::abs(levels[level] - parts[i]) < std::abs(levels[best] - parts[i])) best = level;
    }
    cube += weights[i] * static_cast<int>(best);
    cube_off += (levels[best] - parts[i]) * (levels[best] - parts[i]);
  }
  const int mean = (parts[0] + parts[1] + parts[2]) / 3;
  const int step = std::clamp((mean - 8 + 5) / 10, 0, 23), grey = 8 + 10 * step;
  int grey_off = 0;
  for (const int part : parts) grey_off += (grey - part) * (grey - part);
  return grey_off < cube_off ? 232 + step : cube;
}

/// One place of the screen.
struct Cell {
  std::uint8_t dots = 0;
  std::string letter{};
  int color = -1;
  bool after_wide = false;  ///< the letter before it takes its room, too
  bool filled = false;      ///< its dots are part of an area
};

class Screen {
 public:
  Screen(int columns, int rows)
      : columns_(columns), rows_(rows), cells_(static_cast<std::size_t>(columns * rows)) {}

  void dot(double x, double y, int color, bool filled = false) {
    if (!(x > -1e6 && x < 1e6 && y > -1e6 && y < 1e6)) return;
    const int column = static_cast<int>(std::floor(x)), row = static_cast<int>(std::floor(y));
    Cell* cell = at(column / dots_across, row / dots_down);
    if (column < 0 || row < 0 || cell == nullptr) return;
    // Braille's dots are counted down the left side, down the right, and then the lowest two.
    constexpr std::uint8_t bits[dots_down][dots_across] = {
        {0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}};
    cell->dots |= bits[row % dots_down][column % dots_across];
    cell->color = color;
    cell->filled = filled;
    cell->letter.clear();
  }

  void letter(int column, int row, std::string text, int color) {
    Cell* cell = at(column, row);
    if (cell == nullptr) return;
    *cell = {0, std::move(text), color};
  }

  /// Whether nothing stands there yet.
  bool is_free(int column, int row) {
    const Cell* cell = at(column, row);
    return cell != nullptr && cell->dots == 0 && cell->letter.empty();
  }

  void text(int column, int row, std::string_view text, int color, const Metrics& metrics) {
    for (std::size_t i = 0; i < text.size();) {
      const std::size_t length = std::max<std::size_t>(1, utf8_length(text.substr(i)));
      const std::string_view one = text.substr(i, length);
      const int wide = static_cast<int>(metrics.width(one)) / dots_across;
      letter(column, row, std::string(one), color);
      if (wide > 1) {
        if (Cell* next = at(column + 1, row)) *next = {0, "", -1, true};
      }
      column += wide;
      i += length;
    }
  }

  [[nodiscard]] std::string written(bool in_color) const {
    std::string out;
    for (int row = 0; row < rows_; ++row) {
      std::string line;
      int now = -1;
      std::size_t last = 0;
      for (int column = 0; column < columns_; ++column) {
        const Cell& cell = cells_[static_cast<std::size_t>(row * columns_ + column)];
        if (cell.after_wide) continue;
        if (in_color && cell.color != now) {
          const bool blank = cell.dots == 0 && cell.letter.empty();
          if (!blank) {
            line += cell.color < 0 ? "\x1b[0m" : fmt::format("\x1b[38;5;{}m", cell.color);
            now = cell.color;
          }
        }
        if (!cell.letter.empty()) {
          line += cell.letter;
        } else if (cell.filled && cell.dots == 0xff) {
          line += "█";
        } else if (cell.dots != 0) {
          const unsigned code = 0x2800U + cell.dots;
          line += static_cast<char>(0xe0 | code >> 12);
          line += static_cast<char>(0x80 | (code >> 6 & 0x3f));
          line += static_cast<char>(0x80 | (code & 0x3f));
        } else {
          line += ' ';
          continue;
        }
        last = line.size();
      }
      line.resize(last);
      if (in_color && now >= 0) line += "\x1b[0m";
      out += line + "\n";
    }
    return out;
  }

 private:
  Cell* at(int column, int row) {
    if (column < 0 || row < 0 || column >= columns_ || row >= rows_) return nullptr;
    return &cells_[static_cast<std::size_t>(row * columns_ + column)];
  }

  int columns_, rows_;
  std::vector<Cell> cells_;
};

class TerminalDrawing {
 public:
  TerminalDrawing(const PlacedDrawing& layout, const Metrics& metrics, bool color, Screen& screen)
      : layout_(layout), metrics_(metrics), color_(color), screen_(screen) {}

  void draw() {
    for (const PlacedPanel& placed : layout_.panels) {
      for (const DrawnShape& shape : placed.panel->shapes) put(placed, shape);
      put_frame(placed);
      if (placed.panel->scale) put_scale(placed);
    }
    for (const PlacedSample& sample : layout_.samples) put_sample(sample);
    for (const PlacedText& text : layout_.texts) put(text);
  }

 private:
  static int cell_x(double x) { return static_cast<int>(std::lround(x)) / dots_across; }
  static int cell_y(double y) { return static_cast<int>(std::floor(y)) / dots_down; }

  void put(const PlacedText& text) {
    const int width = static_cast<int>(metrics_.width(text.text)) / dots_across;
    int column = cell_x(text.x);
    if (text.anchor == PlacedText::Anchor::right) column -= width;
    if (text.anchor == PlacedText::Anchor::center) column -= width / 2;
    screen_.text(std::max(0, column), cell_y(text.y), text.text, color_of(text.ink), metrics_);
  }

  /// The left and the lower side, outside of the dots.
  void put_frame(const PlacedPanel& placed) {
    const int left = cell_x(placed.left) - 1, right = cell_x(placed.right);
    const int top = cell_y(placed.top), bottom = cell_y(placed.bottom + 0.5);
    const int color = color_of(frame_ink);
    if (placed.panel->y.line) {
      for (int row = top; row < bottom; ++row) screen_.letter(left, row, "│", color);
    }
    if (placed.panel->right) {
      for (int row = top; row < bottom; ++row) screen_.letter(right, row, "│", color);
    }
    if (!placed.panel->x.line) return;
    for (int column = left; column < right; ++column) screen_.letter(column, bottom, "─", color);
    for (const AxisTick& tick : placed.x_ticks) {
      const double x = placed.x(tick.at);
      if (x >= placed.left - 1 && x <= placed.right) screen_.letter(cell_x(x), bottom, "┬", color);
    }
    screen_.letter(left, bottom, placed.panel->y.line ? "└" : "─", color);
  }

  /// A dot, if it lies in the panel.
  void dot(const PlacedPanel& placed, double x, double y, int color, bool filled = false) {
    if (x < placed.left - 0.5 || x > placed.right - 0.5 || y < placed.top - 0.5 ||
        y > placed.bottom + 0.5) {
      return;
    }
    screen_.dot(std::min(x, placed.right - 1), std::clamp(y, placed.top, placed.bottom - 1), color,
                filled);
  }

  void line(const PlacedPanel& placed, double x0, double y0, double x1, double y1, int color,
            Dash dash) {
    // Steps of a dot along the longer side, within what can be seen.
    const double far = 4 * (layout_.width + layout_.height);
    const auto near = [&](double v) { return std::clamp(v, -far, far); };
    x0 = near(x0), x1 = near(x1), y0 = near(y0), y1 = near(y1);
    const int steps = static_cast<int>(std::ceil(std::max(std::fabs(x1 - x0), std::fabs(y1 - y0))));
    for (int i = 0; i <= steps; ++i) {
      const double share = steps == 0 ? 0 : static_cast<double>(i) / steps;
      const double x = x0 + share * (x1 - x0), y = y0 + share * (y1 - y0);
      const int along =
          static_cast<int>(std::floor(std::fabs(x1 - x0) > std::fabs(y1 - y0) ? x : y));
      if (dash != Dash::solid && (along % 6 + 6) % 6 >= (dash == Dash::dotted ? 1 : 4)) continue;
      dot(placed, x, y, color);
    }
  }

  void put(const PlacedPanel& placed, const DrawnShape& shape) {
    const auto x = [&](double value) { return placed.x(value); };
    const auto y = [&](double value) { return placed.y(value, shape.right_axis); };
    std::visit(Overloaded{[&](const LineShape& drawn) {
                            const int color = color_of(drawn.ink);
                            for (const auto& stretch : drawn.stretches) {
                              for (std::size_t i = 1; i < stretch.size(); ++i) {
                                line(placed, x(stretch[i - 1].x), y(stretch[i - 1].y),
                                     x(stretch[i].x), y(stretch[i].y), color, drawn.dash);
                              }
                            }
                          },
                          [&](const PointShape& drawn) {
                            for (const Point& point : drawn.points)
                              put_mark(placed, x(point.x), y(point.y), drawn);
                          },
                          [&](const BoxShape& drawn) {
                            for (const Box& box : drawn.boxes)
                              fill(placed, box, shape.right_axis, drawn.ink, drawn.hatched);
                          },
                          [&](const HeatShape& drawn) { put_cells(placed, drawn); },
                          [&](const AreaShape& drawn) {
                            for (const auto& stretch : drawn.stretches) {
                              put_area(placed, stretch, shape.right_axis, color_of(drawn.ink));
                            }
                          },
                          [&](const RuleShape& drawn) {
                            const int color = color_of(drawn.ink);
                            if (drawn.vertical) {
                              line(placed, x(drawn.at), placed.top, x(drawn.at), placed.bottom - 1,
                                   color, drawn.dash);
                            } else {
                              line(placed, placed.left, y(drawn.at), placed.right - 1, y(drawn.at),
                                   color, drawn.dash);
                            }
                          }},
               shape.what);
  }

  /// Every second dot of what lies between two lines, so that what lies on it is seen.
  void put_area(const PlacedPanel& placed, const std::vector<AreaRow>& rows, bool right_axis,
                int color) {
    const auto column = [&](double x, double low, double high) {
      const double from = std::max(placed.top, placed.y(high, right_axis));
      const double to = std::min(placed.bottom, placed.y(low, right_axis));
      const auto shift = static_cast<std::int64_t>(std::floor(x)) & 1;
      auto at = static_cast<std::int64_t>(std::ceil(from));
      at += (at + shift) & 1;
      for (; static_cast<double>(at) <= to; at += 2) dot(placed, x, static_cast<double>(at), color);
    };
    for (std::size_t i = 0; i < rows.size(); ++i) {
      const double x = placed.x(rows[i].x);
      column(x, rows[i].low, rows[i].high);
      if (i + 1 == rows.size()) break;
      // Between two rows by lines.
      const double next = placed.x(rows[i + 1].x);
      const double last = std::min(next, placed.right);
      for (double between = std::max(std::floor(x) + 1, placed.left); between < last; ++between) {
        const double share = (between - x) / (next - x);
        column(between, rows[i].low + share * (rows[i + 1].low - rows[i].low),
               rows[i].high + share * (rows[i + 1].high - rows[i].high));
      }
    }
  }

  void put_mark(const PlacedPanel& placed, double x, double y, const PointShape& drawn) {
    const int color = color_of(drawn.ink);
    constexpr double large = 7;
    if (drawn.mark == Mark::dot && drawn.size < large) return dot(placed, x, y, color);
    if (x < placed.left - 0.5 || x > placed.right || y < placed.top - 0.5 ||
        y > placed.bottom + 0.5) {
      return;
    }
    const char* letter = drawn.mark == Mark::dot     ? "●"
                         : drawn.mark == Mark::ring  ? "○"
                         : drawn.mark == Mark::cross ? "×"
                         : drawn.mark == Mark::up    ? "▲"
                                                     : "▼";
    screen_.letter(std::min(cell_x(x), cell_x(placed.right) - 1),
                   std::min(cell_y(y), cell_y(placed.bottom) - 1), letter, color);
  }

  void fill(const PlacedPanel& placed, const Box& box, bool right_axis, const std::string& ink,
            bool sparse) {
    const int color = color_of(ink);
    const auto inside = [](double v, double low, double high) { return std::clamp(v, low, high); };
    const double left = inside(placed.x(box.left), placed.left, placed.right);
    const double right = inside(placed.x(box.right), placed.left, placed.right);
    const double low = std::isinf(box.bottom) ? placed.bottom : placed.y(box.bottom, right_axis);
    const double high = std::isinf(box.top) ? placed.top : placed.y(box.top, right_axis);
    const double top = inside(std::min(low, high), placed.top, placed.bottom);
    const double bottom = inside(std::max(low, high), placed.top, placed.bottom);
    // What is as high as the panel is a shade: dots far apart.
    const bool shade = std::isinf(box.bottom);
    const int step = shade ? 4 : sparse ? 2 : 1;
    for (double x = std::floor(left); x < std::max(right, std::floor(left) + 1);
         x += shade ? 2 : 1) {
      for (double y = std::ceil(top); y < std::max(bottom, std::ceil(top) + (shade ? 0 : 1));
           y += step) {
        const bool skip = sparse && (static_cast<int>(x) + static_cast<int>(y) / 2) % 2 == 0;
        if (!skip) dot(placed, x, y, color, !shade && !sparse);
      }
    }
  }

  /// Where there is color it says all.
  const char* shade_of(double share) const {
    if (color_) return "█";
    constexpr std::array<const char*, 4> shades{"░", "▒", "▓", "█"};
    const int place = static_cast<int>(std::clamp(share, 0.0, 0.999) * 4);
    return shades[static_cast<std::size_t>(place)];
  }

  void put_cells(const PlacedPanel& placed, const HeatShape& cells) {
    const ColorScale scale = placed.panel->scale.value_or(ColorScale());
    for (std::size_t i = 0; i < cells.boxes.size(); ++i) {
      const Box& box = cells.boxes[i];
      const double share = (cells.values[i] - scale.low) / (scale.high - scale.low);
      const int from = cell_x(placed.x(box.left)), to = cell_x(placed.x(box.right));
      const double a = placed.y(box.bottom), b = placed.y(box.top);
      const int top = cell_y(std::min(a, b) + 1), bottom = cell_y(std::max(a, b) + 1);
      for (int row = top; row < std::max(bottom, top + 1); ++row) {
        for (int column = from; column < std::max(to, from + 1); ++column) {
          screen_.letter(column, row, shade_of(share), color_of(scale_ink(share)));
        }
      }
    }
  }

  void put_scale(const PlacedPanel& placed) {
    const int left = cell_x(placed.scale_left),
              width = static_cast<int>(metrics_.scale_bar) / dots_across;
    const int top = cell_y(placed.top), bottom = cell_y(placed.bottom);
    for (int row = top; row < bottom; ++row) {
      const double share = 1 - (row - top + 0.5) / std::max(1, bottom - top);
      for (int i = 0; i < width; ++i) {
        screen_.letter(left + i, row, shade_of(share), color_of(scale_ink(share)));
      }
    }
  }

  void put_sample(const PlacedSample& sample) {
    const int row = cell_y(sample.y), left = cell_x(sample.left);
    const auto put_all = [&](const char* letter, const std::string& ink) {
      for (int i = 0; i < static_cast<int>(metrics_.sample) / dots_across; ++i) {
        screen_.letter(left + i, row, letter, color_of(ink));
      }
    };
    const auto of_line = [](Dash dash) {
      return dash == Dash::solid ? "━" : dash == Dash::dotted ? "┈" : "╌";
    };
    std::visit(
        Overloaded{[&](const LineShape& shape) { put_all(of_line(shape.dash), shape.ink); },
                   [&](const PointShape& shape) {
                     const char* letter = shape.mark == Mark::ring    ? "○"
                                          : shape.mark == Mark::cross ? "×"
                                          : shape.mark == Mark::up    ? "▲"
                                          : shape.mark == Mark::down  ? "▼"
                                                                      : "●";
                     screen_.letter(left + 1, row, letter, color_of(shape.ink));
                   },
                   [&](const BoxShape& shape) { put_all(shape.hatched ? "▒" : "█", shape.ink); },
                   [&](const HeatShape&) {},
                   [&](const AreaShape& shape) { put_all("░", shape.ink); },
                   [&](const RuleShape& shape) { put_all(of_line(shape.dash), shape.ink); }},
        sample.shape->what);
  }

  const PlacedDrawing& layout_;
  const Metrics& metrics_;
  bool color_;
  Screen& screen_;
};

}  // namespace

std::string terminal_text(const Drawing& drawing, int columns, int rows, bool color) {
  const Metrics metrics = letter_metrics();
  const PlacedDrawing layout = lay_out(drawing, columns * dots_across, rows * dots_down, metrics);
  Screen screen(columns, rows);
  TerminalDrawing(layout, metrics, color, screen).draw();
  return screen.written(color);
}

}  // namespace zerobeat::detail
