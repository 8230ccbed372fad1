#include "view/drawing/gnuplot.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <utility>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

#include "view/drawing/gnuplot_process.hpp"
#include "view/drawing/layout.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Text as gnuplot's single-quoted string, in which nothing but the quote means anything.
std::string in_quotes(std::string_view text) {
  std::string out = "'";
  for (const char c : text) {
    if (c == '\'') out += '\'';
    out += c;
  }
  return out + "'";
}

const char* dash_type(Dash dash) {
  switch (dash) {
    case Dash::solid:
      return "1";
    case Dash::dashed:
      return "(16,10)";
    case Dash::dotted:
      return "(3,7)";
    case Dash::mixed:
      return "(18,7,3,7)";
  }
  return "1";
}

int point_type(Mark mark) {
  switch (mark) {
    case Mark::dot:
      return 7;
    case Mark::ring:
      return 6;
    case Mark::cross:
      return 2;
    case Mark::up:
      return 9;
    case Mark::down:
      return 11;
  }
  return 7;
}

/// gnuplot's unit of points is about so many pixels across.
constexpr double point_unit = 8;

/// The script that draws a drawing as it was laid out. Texts stand above all else.
class Script {
 public:
  Script(const PlacedDrawing& layout, bool svg) : layout_(layout), svg_(svg) {
    out_ = "set multiplot\nunset key\n";
    for (const PlacedPanel& panel : layout.panels) put_panel(panel);
    put_texts();
    out_ += "unset multiplot\n";
  }

  [[nodiscard]] std::string whole() const { return data_ + out_; }
  /// The names of what is plotted, in its order.
  [[nodiscard]] const std::vector<std::string>& names() const { return names_; }
  /// The texts that stand for themselves by number in an SVG.
  [[nodiscard]] const std::vector<PlacedText>& texts() const { return texts_; }

 private:
  std::string screen(double x, double y) const {
    return fmt::format("screen {:.6f}, screen {:.6f}", x / layout_.width, 1 - y / layout_.height);
  }

  void put_place(double left, double right, double top, double bottom) {
    out_ += fmt::format(
        "set lmargin at screen {:.6f}\nset rmargin at screen {:.6f}\nset tmargin at screen "
        "{:.6f}\nset bmargin at screen {:.6f}\n",
        left / layout_.width, right / layout_.width, 1 - top / layout_.height,
        1 - bottom / layout_.height);
  }

  static std::string ticks_text(const std::vector<AxisTick>& ticks) {
    std::string text;
    for (const AxisTick& tick : ticks) {
      text += fmt::format("{}'' {:.12g}", text.empty() ? "" : ", ", tick.at);
    }
    return text;
  }

  void put_axis(const char* name, const DrawnAxis& axis, const std::vector<AxisTick>& ticks) {
    out_ += fmt::format("set {}range [{:.15g}:{:.15g}] noextend\n", name,
                        axis.reversed ? axis.high : axis.low, axis.reversed ? axis.low : axis.high);
    out_ += fmt::format("{} logscale {}\n", axis.log ? "set" : "unset", name);
    const std::string text = ticks_text(ticks);
    if (text.empty()) {
      out_ += fmt::format("unset {}tics\n", name);
    } else {
      out_ += fmt::format("set {}tics ({}) nomirror scale {}\n", name, text, axis.marks ? 0.6 : 0);
    }
  }

  void put_panel(const PlacedPanel& placed) {
    const Panel& panel = *placed.panel;
    out_ += "unset arrow\nunset label\nunset object\nunset grid\n";
    put_place(placed.left, placed.right, placed.top, placed.bottom);
    put_axis("x", panel.x, placed.x_ticks);
    put_axis("y", panel.y, placed.y_ticks);
    if (panel.right) {
      put_axis("y2", *panel.right, placed.right_ticks);
    } else {
      out_ += "unset y2tics\nunset logscale y2\n";
    }
    const int border = (panel.x.line ? 1 : 0) + (panel.y.line ? 2 : 0) + (panel.right ? 8 : 0);
    out_ += fmt::format("set border {} linecolor rgb \"{}\"\n", border, frame_ink);
    if (panel.x.grid || panel.y.grid) {
      out_ += fmt::format("set grid{}{} back linecolor rgb \"{}\" linewidth 1 linetype 1\n",
                          panel.x.grid ? " xtics" : "", panel.y.grid ? " ytics" : "", grid_ink);
    }
    std::vector<std::string> plots;
    for (const DrawnShape& shape : panel.shapes) put_shape(placed, shape, plots);
    if (panel.scale) put_scale(placed);
    if (plots.empty()) {
      plots.emplace_back("NaN notitle");
      names_.emplace_back();
    }
    out_ += fmt::format("plot {}\n", fmt::join(plots, ", \\\n  "));
  }

  /// A block of data, named; its name.
  std::string block(const std::string& rows) {
    const std::string name = fmt::format("$d{}", blocks_++);
    data_ += name + " << END_OF_DATA\n" + rows + "END_OF_DATA\n";
    return name;
  }

  void put_shape(const PlacedPanel& placed, const DrawnShape& shape,
                 std::vector<std::string>& plots) {
    const char* axes = shape.right_axis ? "x1y2" : "x1y1";
    const DrawnAxis& y =
        shape.right_axis && placed.panel->right ? *placed.panel->right : placed.panel->y;
    const auto add = [&](const std::string& data, const std::string& how) {
      if (data.empty()) return;
      plots.push_back(fmt::format("{} {} notitle", block(data), how));
      names_.push_back(drawn_text(shape.name));
    };
    std::visit(
        Overloaded{
            [&](const LineShape& line) { put_line(line, axes, add); },
            [&](const PointShape& points) {
              std::string data;
              for (const Point& point : points.points) put_point(data, point);
              add(data,
                  fmt::format("using 1:2 axes {} with points pointtype {} pointsize "
                              "{:.3g} linewidth 1.7 linecolor rgb \"{}\"",
                              axes, point_type(points.mark), points.size / point_unit, points.ink));
            },
            [&](const BoxShape& boxes) {
              std::string data;
              for (const Box& box : boxes.boxes) put_box(data, box, placed.panel->x, y, {});
              const char* fill = boxes.hatched ? "pattern 4" : "solid 1";
              const char* edge = boxes.edged ? "border linecolor rgb \"#ffffff\"" : "noborder";
              add(data, fmt::format("using 1:2:3:4:5:6 axes {} with boxxyerror fillstyle {} "
                                    "{} linecolor rgb \"{}\"",
                                    axes, fill, boxes.hatched ? "border" : edge, boxes.ink));
            },
            [&](const HeatShape& cells) { put_cells(placed, cells, add); },
            [&](const AreaShape& area) {
              std::string data;
              for (const auto& stretch : area.stretches) {
                for (const AreaRow& row : stretch) {
                  fmt::format_to(std::back_inserter(data), "{:.12g} {:.12g} {:.12g}\n", row.x,
                                 row.low, row.high);
                }
                data += "\n";
              }
              if (area.stretches.empty()) data.clear();
              add(data, fmt::format("using 1:2:3 axes {} with filledcurves fillstyle solid 1 "
                                    "linecolor rgb \"{}\"",
                                    axes, area.ink));
            },
            [&](const RuleShape& rule) {
              const DrawnAxis& x = placed.panel->x;
              const std::string data = rule.vertical
                                           ? fmt::format("{0:.12g} {1:.15g}\n{0:.12g} {2:.15g}\n",
                                                         rule.at, y.low, y.high)
                                           : fmt::format("{1:.15g} {0:.12g}\n{2:.15g} {0:.12g}\n",
                                                         rule.at, x.low, x.high);
              add(data, fmt::format("using 1:2 axes {} with lines linewidth {:.3g} dashtype {} "
                                    "linecolor rgb \"{}\"",
                                    axes, rule.width, dash_type(rule.dash), rule.ink));
            }},
        shape.what);
  }

  static void put_point(std::string& data, const Point& point) {
    fmt::format_to(std::back_inserter(data), "{:.12g} {:.12g}\n", point.x, point.y);
  }

  template <typename Add>
  void put_line(const LineShape& line, const char* axes, const Add& add) {
    std::string data;
    for (const auto& stretch : line.stretches) {
      for (const Point& point : stretch) put_point(data, point);
      data += "\n";
    }
    if (line.stretches.empty()) return;
    add(data,
        fmt::format("using 1:2 axes {} with {} linewidth {:.3g} dashtype {} {}linecolor rgb "
                    "\"{}\"",
                    axes, line.dots ? "linespoints" : "lines", line.width, dash_type(line.dash),
                    line.dots ? "pointtype 7 pointsize 0.55 " : "", line.ink));
  }

  /// A box as gnuplot has it, cut at the panel's sides; a color after it, if there is one.
  static void put_box(std::string& data, const Box& box, const DrawnAxis& x, const DrawnAxis& y,
                      std::string_view color) {
    const double left = std::max(std::min(box.left, box.right), x.low);
    const double right = std::min(std::max(box.left, box.right), x.high);
    const double bottom = std::max(std::min(box.bottom, box.top), y.low);
    const double top = std::min(std::max(box.bottom, box.top), y.high);
    if (!(left <= right) || !(bottom <= top)) return;
    fmt::format_to(std::back_inserter(data), "{:.12g} {:.12g} {:.12g} {:.12g} {:.12g} {:.12g}{}\n",
                   left, bottom, left, right, bottom, top, color);
  }

  template <typename Add>
  void put_cells(const PlacedPanel& placed, const HeatShape& cells, const Add& add) {
    const ColorScale scale = placed.panel->scale.value_or(ColorScale());
    std::string data;
    for (std::size_t i = 0; i < cells.boxes.size(); ++i) {
      const std::string ink = scale_ink((cells.values[i] - scale.low) / (scale.high - scale.low));
      put_box(data, cells.boxes[i], placed.panel->x, placed.panel->y, " 0x" + ink.substr(1));
    }
    add(data,
        "using 1:2:3:4:5:6:7 with boxxyerror fillstyle solid 1 noborder linecolor rgb variable");
  }

  void put_scale(const PlacedPanel& placed) {
    constexpr int steps = 64;
    const double width = picture_metrics().scale_bar;
    const double height = (placed.bottom - placed.top) / steps;
    for (int i = 0; i < steps; ++i) {
      const double bottom = placed.bottom - i * height;
      put_rectangle(placed.scale_left, bottom - height - 0.3, placed.scale_left + width, bottom,
                    scale_ink((i + 0.5) / steps), false);
    }
  }

  void put_rectangle(double left, double top, double right, double bottom, const std::string& ink,
                     bool hatched) {
    out_ += fmt::format(
        "set object rectangle from {} to {} front fillcolor rgb \"{}\" fillstyle "
        "{} {}\n",
        screen(left, bottom), screen(right, top), ink, hatched ? "pattern 4" : "solid 1",
        hatched ? "border" : "noborder");
  }

  void put_texts() {
    out_ +=
        "unset arrow\nunset label\nunset object\nunset grid\nunset tics\nunset logscale\nset "
        "border 0\nset xrange [0:1]\nset yrange [0:1]\n";
    put_place(0, layout_.width, 0, layout_.height);
    for (const PlacedSample& sample : layout_.samples) put_sample(sample);
    for (const PlacedText& text : layout_.texts) {
      if (text.boxed) {
        const TextBox box = box_of(text, picture_metrics());
        put_rectangle(box.left - 2, box.top + 2, box.right + 2, box.bottom - 2, "#ffffff", false);
      }
      const char* anchor = text.anchor == PlacedText::Anchor::left     ? "left"
                           : text.anchor == PlacedText::Anchor::center ? "center"
                                                                       : "right";
      out_ += fmt::format(
          "set label {} at {} {}{}{} front textcolor rgb \"{}\"\n", in_quotes(written(text)),
          screen(text.x, text.y), anchor, text.turned ? " rotate by 90" : "",
          text.size == 1 ? std::string() : fmt::format(" font ',{:.4g}'", font_size() * text.size),
          text.ink);
    }
    out_ += "plot NaN notitle\n";
    names_.emplace_back();
  }

  [[nodiscard]] double font_size() const { return svg_ ? 44.0 / 3 : 11; }

  /// In an SVG a text is put in its place afterwards: gnuplot has ideas of its own about markup.
  std::string written(const PlacedText& text) {
    if (!svg_) return text.text;
    texts_.push_back(text);
    std::string token = fmt::format("\xee\x80\x80{}\xee\x80\x81", texts_.size() - 1);
    return token;
  }

  void put_sample(const PlacedSample& sample) {
    const double left = sample.left, right = left + picture_metrics().sample;
    const double middle = (left + right) / 2, y = sample.y;
    const auto line = [&](const std::string& ink, double width, Dash dash) {
      out_ += fmt::format(
          "set arrow from {} to {} nohead front linewidth {:.3g} dashtype {} "
          "linecolor rgb \"{}\"\n",
          screen(left, y), screen(right, y), width, dash_type(dash), ink);
    };
    const auto point = [&](const std::string& ink, Mark mark, double size) {
      out_ += fmt::format(
          "set label '' at {} point pointtype {} pointsize {:.3g} linewidth 1.7 "
          "linecolor rgb \"{}\" front\n",
          screen(middle, y), point_type(mark), size / point_unit, ink);
    };
    std::visit(
        Overloaded{[&](const LineShape& shape) {
                     line(shape.ink, shape.width, shape.dash);
                     if (shape.dots) point(shape.ink, Mark::dot, 4.4);
                   },
                   [&](const PointShape& shape) {
                     point(shape.ink, shape.mark, std::max(4.0, shape.size));
                   },
                   [&](const BoxShape& shape) {
                     put_rectangle(left, y - 5, right, y + 5, shape.ink, shape.hatched);
                   },
                   [&](const HeatShape&) {},
                   [&](const AreaShape& shape) {
                     put_rectangle(left, y - 5, right, y + 5, shape.ink, false);
                   },
                   [&](const RuleShape& shape) { line(shape.ink, shape.width, shape.dash); }},
        sample.shape->what);
  }

  const PlacedDrawing& layout_;
  bool svg_;
  std::string data_, out_;
  std::size_t blocks_ = 0;
  std::vector<std::string> names_;
  std::vector<PlacedText> texts_;
};

/// Whether a picture is there from its first byte to its last.
bool is_whole(const std::string& picture, PictureFormat format) {
  using namespace std::string_view_literals;
  const std::size_t end = picture.find_last_not_of(" \r\n");
  const std::string_view text(picture.data(), end == std::string::npos ? 0 : end + 1);
  switch (format) {
    case PictureFormat::svg:
      return text.find("<svg") != std::string_view::npos && text.ends_with("</svg>");
    case PictureFormat::pdf:
      return text.starts_with("%PDF-") && text.ends_with("%%EOF");
    case PictureFormat::png:
      return picture.starts_with("\x89PNG\r\n\x1a\n"sv) && picture.size() > 20 &&
             picture.ends_with("IEND\xae\x42\x60\x82"sv);
  }
  return false;
}

/// Text within an XML element.
std::string xml_text(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '>' && out.ends_with("]]")) {
      out += "&gt;";
    } else {
      out += c == '&' ? "&amp;" : c == '<' ? "&lt;" : std::string(1, c);
    }
  }
  return out;
}

/// Puts a text into the first element of that name.
void put_element(std::string& svg, const std::string& name, std::string_view text) {
  const std::size_t begin = svg.find("<" + name + ">");
  const std::size_t end = svg.find("</" + name + ">", begin);
  if (begin == std::string::npos || end == std::string::npos) return;
  const std::size_t from = begin + name.size() + 2;
  svg.replace(from, end - from, xml_text(text));
}

/// Groups are named by what they draw, and texts put where their numbers stand.
std::string with_names(const std::string& svg, const Script& script) {
  constexpr std::string_view group = "<g id=\"gnuplot_plot_", title = "<title>",
                             title_end = "</title>", token = "\xee\x80\x80",
                             token_end = "\xee\x80\x81";
  std::string out;
  std::size_t names = 0;
  for (std::size_t at = 0; at < svg.size();) {
    const std::size_t next_group = svg.find(group, at), next_token = svg.find(token, at);
    const std::size_t next = std::min(next_group, next_token);
    if (next == std::string::npos) {
      out += svg.substr(at);
      break;
    }
    out += svg.substr(at, next - at);
    if (next == next_token) {
      const std::size_t end = svg.find(token_end, next);
      const std::string number = svg.substr(next + token.size(), end - next - token.size());
      const PlacedText& text = script.texts().at(std::stoul(number));
      if (!text.whole.empty()) out += "<title>" + xml_text(text.whole) + "</title>";
      out += xml_text(text.text);
      at = end + token_end.size();
      continue;
    }
    const std::size_t from = svg.find(title, next) + title.size();
    const std::size_t end = svg.find(title_end, from);
    out += svg.substr(next, from - next);
    if (names < script.names().size()) out += xml_text(script.names()[names]);
    ++names;
    at = end;
  }
  return out;
}

/// The time at which it was made is no part of a picture: the same input gives the same bytes.
void take_date_out(std::string& pdf) {
  constexpr std::string_view entry = "/CreationDate (";
  for (std::size_t at = pdf.find(entry); at != std::string::npos; at = pdf.find(entry, at)) {
    const std::size_t end = pdf.find(')', at);
    if (end == std::string::npos) return;
    std::fill(pdf.begin() + static_cast<std::ptrdiff_t>(at),
              pdf.begin() + static_cast<std::ptrdiff_t>(end) + 1, ' ');
  }
}

std::string terminal_of(PictureFormat format, const Size& size, int scale) {
  switch (format) {
    case PictureFormat::svg:
      return fmt::format("svg size {},{} font \"DejaVu Sans,{:.4g}\" noenhanced", size.width,
                         size.height, 44.0 / 3);
    case PictureFormat::pdf:
      // A pixel is 3/4 of a point; a little more, for it cuts off.
      return fmt::format(
          "pdfcairo size {:.6f}in,{:.6f}in font \"DejaVu Sans,11\" fontscale 0.75 linewidth 1.5 "
          "noenhanced",
          size.width / 96.0 + 1e-5, size.height / 96.0 + 1e-5);
    case PictureFormat::png:
      return fmt::format(
          "pngcairo size {},{} font \"DejaVu Sans,11\" fontscale {} linewidth {} pointscale {} "
          "noenhanced",
          size.width * scale, size.height * scale, scale, scale, scale);
  }
  return {};
}

}  // namespace

PictureFormat format_of(const std::string& path) {
  const std::size_t dot = path.rfind('.');
  std::string ending = dot == std::string::npos ? "" : path.substr(dot);
  for (char& c : ending) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  if (ending == ".png") return PictureFormat::png;
  if (ending == ".svg") return PictureFormat::svg;
  if (ending == ".pdf") return PictureFormat::pdf;
  fail_usage("{}: a figure's file ends in .png, .svg or .pdf", shown(path));
}

void write_picture(const Drawing& drawing, const Size& size, int scale, Output& output,
                   const std::string& path) {
  const PictureFormat format = format_of(path);
  const PlacedDrawing layout = lay_out(drawing, size.width, size.height, picture_metrics());
  const Script script(layout, format == PictureFormat::svg);
  GnuplotRun drawn =
      run_gnuplot(fmt::format("set terminal {}\nset encoding utf8\n{}\nunset output\n",
                              terminal_of(format, size, scale), script.whole()));
  constexpr std::size_t most_message = 500;
  if (drawn.status != 0 || !is_whole(drawn.picture, format)) {
    fail_output("{}: gnuplot could not draw it: {}", shown(path, most_message),
                drawn.messages.empty()
                    ? fmt::format("it said nothing, and wrote {} bytes", drawn.picture.size())
                    : shown(drawn.messages, most_message));
  }
  if (format == PictureFormat::svg) {
    drawn.picture = with_names(drawn.picture, script);
    put_element(drawn.picture, "title", drawn_text(drawing.name));
    put_element(drawn.picture, "desc", drawn_text(drawing.description));
  }
  if (format == PictureFormat::pdf) take_date_out(drawn.picture);
  output.write(drawn.picture);
}

}  // namespace zerobeat::detail
