#include "view/page/svg.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "view/drawing/layout.hpp"
#include "view/page/html.hpp"

namespace zerobeat::inline v1::detail {

namespace {

const char* dash_of(Dash dash) {
  switch (dash) {
    case Dash::solid:
      return "";
    case Dash::dashed:
      return " stroke-dasharray=\"6 4\"";
    case Dash::dotted:
      return " stroke-dasharray=\"1.5 3\"";
    case Dash::mixed:
      return " stroke-dasharray=\"7 3 1.5 3\"";
  }
  return "";
}

/// Inks of texts and axes are the page's own, so that they turn with light and dark.
std::string stroke(const std::string& ink) {
  if (ink == text_ink) return "class=\"ink\"";
  if (ink == inks[0]) return "class=\"course\"";
  if (ink == changed_ink) return "class=\"changed\"";
  return fmt::format("stroke=\"{}\"", ink);
}

std::string fill(const std::string& ink) {
  if (ink == text_ink) return "class=\"fill\"";
  if (ink == soft_ink) return "class=\"soft\"";
  if (ink == inks[0]) return "class=\"body\"";
  if (ink == changed_ink) return "class=\"changed-body\"";
  return fmt::format("fill=\"{}\"", ink);
}

class SvgDrawing {
 public:
  explicit SvgDrawing(const PlacedDrawing& layout) : layout_(layout) {}

  std::string parts() {
    for (const PlacedPanel& placed : layout_.panels) put_panel(placed);
    for (const PlacedSample& sample : layout_.samples) put_sample(sample);
    for (const PlacedText& text : layout_.texts) put_text(text);
    return std::move(out_);
  }

 private:
  template <typename... Args>
  void put(fmt::format_string<Args...> format, Args&&... args) {
    fmt::format_to(std::back_inserter(out_), format, std::forward<Args>(args)...);
  }

  void put_panel(const PlacedPanel& placed) {
    const Panel& panel = *placed.panel;
    if (panel.x.grid) {
      for (const AxisTick& tick : placed.x_ticks) {
        put_straight("grid", placed.x(tick.at), placed.top, placed.x(tick.at), placed.bottom);
      }
    }
    if (panel.y.grid) {
      for (const AxisTick& tick : placed.y_ticks) {
        put_straight("grid", placed.left, placed.y(tick.at), placed.right, placed.y(tick.at));
      }
    }
    // What lies beyond the panel is cut.
    put("<svg x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" viewBox=\"{} {} {} {}\">",
        pixel(placed.left), pixel(placed.top), pixel(placed.right - placed.left),
        pixel(placed.bottom - placed.top), pixel(placed.left), pixel(placed.top),
        pixel(placed.right - placed.left), pixel(placed.bottom - placed.top));
    for (const DrawnShape& shape : panel.shapes) put_shape(placed, shape);
    put("</svg>");
    if (panel.x.line) {
      put_straight("frame", placed.left, placed.bottom, placed.right, placed.bottom);
    }
    if (panel.y.line) put_straight("frame", placed.left, placed.top, placed.left, placed.bottom);
    if (panel.right) put_straight("frame", placed.right, placed.top, placed.right, placed.bottom);
    if (panel.scale) put_scale(placed);
  }

  /// The inks of the cells, from the least value to the greatest.
  void put_scale(const PlacedPanel& placed) {
    constexpr int steps = 24;
    const double height = (placed.bottom - placed.top) / steps;
    for (int i = 0; i < steps; ++i) {
      put("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"{}\"/>",
          pixel(placed.scale_left), pixel(placed.bottom - (i + 1) * height),
          pixel(picture_metrics().scale_bar), pixel(height + 0.3), scale_ink((i + 0.5) / steps));
    }
  }

  void put_straight(const char* kind, double x0, double y0, double x1, double y1) {
    put("<path class=\"{}\" d=\"M{} {}L{} {}\"/>", kind, pixel(x0), pixel(y0), pixel(x1),
        pixel(y1));
  }

  void put_shape(const PlacedPanel& placed, const DrawnShape& shape) {
    put("<g>");
    if (!shape.name.empty()) put("<title>{}</title>", escaped(shape.name));
    const auto x = [&](double value) { return pixel(placed.x(value)); };
    const auto y = [&](double value) { return pixel(placed.y(value, shape.right_axis)); };
    std::visit(
        Overloaded{[&](const LineShape& line) {
                     std::string path;
                     for (const auto& stretch : line.stretches) {
                       const char* command = "M";
                       for (const Point& point : stretch) {
                         path += command + x(point.x) + " " + y(point.y);
                         command = "L";
                       }
                     }
                     put("<path fill=\"none\" {} stroke-width=\"{:.3g}\"{} d=\"{}\"/>",
                         stroke(line.ink), line.width, dash_of(line.dash), path);
                   },
                   [&](const PointShape& points) {
                     for (const Point& point : points.points) {
                       put("<circle cx=\"{}\" cy=\"{}\" r=\"{:.3g}\" {}/>", x(point.x), y(point.y),
                           points.size / 2,
                           points.mark == Mark::dot ? fill(points.ink)
                                                    : "fill=\"none\" " + stroke(points.ink));
                     }
                   },
                   [&](const BoxShape& boxes) {
                     for (const Box& box : boxes.boxes)
                       put_box(placed, box, shape.right_axis, boxes.ink);
                   },
                   [&](const HeatShape& cells) {
                     const ColorScale scale = placed.panel->scale.value_or(ColorScale());
                     for (std::size_t i = 0; i < cells.boxes.size(); ++i) {
                       put_box(placed, cells.boxes[i], false,
                               scale_ink((cells.values[i] - scale.low) / (scale.high - scale.low)));
                     }
                   },
                   [&](const AreaShape& area) {
                     for (const auto& stretch : area.stretches) {
                       std::string path, back;
                       const char* command = "M";
                       for (const AreaRow& row : stretch) {
                         path += command + x(row.x) + " " + y(row.high);
                         back = "L" + x(row.x) + " " + y(row.low) + back;
                         command = "L";
                       }
                       put("<path {} d=\"{}{}Z\"/>", fill(area.ink), path, back);
                     }
                   },
                   [&](const RuleShape& rule) {
                     const std::string path =
                         rule.vertical ? fmt::format("M{} {}V{}", x(rule.at), pixel(placed.top),
                                                     pixel(placed.bottom))
                                       : fmt::format("M{} {}H{}", pixel(placed.left), y(rule.at),
                                                     pixel(placed.right));
                     put("<path fill=\"none\" {} stroke-width=\"{:.3g}\"{} d=\"{}\"/>",
                         stroke(rule.ink), rule.width, dash_of(rule.dash), path);
                   }},
        shape.what);
    put("</g>");
  }

  void put_box(const PlacedPanel& placed, const Box& box, bool right_axis, const std::string& ink) {
    const double left = std::max(placed.left, placed.x(box.left));
    const double right = std::min(placed.right, placed.x(box.right));
    const double a = std::isinf(box.bottom) ? placed.bottom : placed.y(box.bottom, right_axis);
    const double b = std::isinf(box.top) ? placed.top : placed.y(box.top, right_axis);
    const double top = std::max(placed.top, std::min(a, b));
    const double bottom = std::min(placed.bottom, std::max(a, b));
    if (left > right || top > bottom) return;
    put("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" {}/>", pixel(left), pixel(top),
        pixel(std::max(0.3, right - left)), pixel(bottom - top), fill(ink));
  }

  void put_sample(const PlacedSample& sample) {
    const double right = sample.left + picture_metrics().sample, middle = (sample.left + right) / 2;
    const auto line = [&](const std::string& ink, double width, Dash dash) {
      put("<path {} stroke-width=\"{:.3g}\"{} d=\"M{} {}H{}\"/>", stroke(ink), width, dash_of(dash),
          pixel(sample.left), pixel(sample.y), pixel(right));
    };
    const auto box = [&](const std::string& ink) {
      put("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"10\" {}/>", pixel(sample.left),
          pixel(sample.y - 5), pixel(right - sample.left), fill(ink));
    };
    std::visit(
        Overloaded{[&](const LineShape& shape) { line(shape.ink, shape.width, shape.dash); },
                   [&](const PointShape& shape) {
                     put("<circle cx=\"{}\" cy=\"{}\" r=\"{:.3g}\" {}/>", pixel(middle),
                         pixel(sample.y), std::max(2.0, shape.size / 2),
                         shape.mark == Mark::dot ? fill(shape.ink)
                                                 : "fill=\"none\" " + stroke(shape.ink));
                   },
                   [&](const BoxShape& shape) { box(shape.ink); }, [&](const HeatShape&) {},
                   [&](const AreaShape& shape) { box(shape.ink); },
                   [&](const RuleShape& shape) { line(shape.ink, shape.width, shape.dash); }},
        sample.shape->what);
  }

  void put_text(const PlacedText& text) {
    const char* anchor = text.anchor == PlacedText::Anchor::left     ? "start"
                         : text.anchor == PlacedText::Anchor::center ? "middle"
                                                                     : "end";
    put("<text x=\"{0}\" y=\"{1}\" text-anchor=\"{2}\" dominant-baseline=\"central\" {3}{4}>",
        pixel(text.x), pixel(text.y), anchor, fill(text.ink),
        text.turned ? fmt::format(" transform=\"rotate(-90 {} {})\"", pixel(text.x), pixel(text.y))
                    : std::string());
    if (!text.whole.empty()) put("<title>{}</title>", escaped(text.whole));
    // Names were made fit to draw before; markup is not theirs.
    put("{}</text>", escaped(text.text));
  }

  const PlacedDrawing& layout_;
  std::string out_;
};

}  // namespace

std::string page_svg(const Drawing& drawing, int width, int height) {
  const PlacedDrawing layout = lay_out(drawing, width, height, picture_metrics());
  return fmt::format(
      "<svg class=\"drawing\" role=\"img\" viewBox=\"0 0 {} {}\" font-size=\"14.67\"{}>"
      "<title>{}</title><desc>{}</desc>{}</svg>",
      width, height, attribute("aria-label", drawing.name), escaped(drawing.name),
      escaped(drawing.description), SvgDrawing(layout).parts());
}

}  // namespace zerobeat::detail
