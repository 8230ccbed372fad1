#include "view/page/flow.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "view/page/html.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr double box_width = 184, column_gap = 52, row_gap = 16, line_height = 17, margin = 4;
constexpr std::size_t most_boxes = 60, most_lines = 12, most_letters = 25;

struct PlacedBox {
  double left = 0, top = 0, height = 0;
  std::size_t column = 0;
};

double height_of(const PageFlow& box) {
  const std::size_t lines = std::min(box.lines.size(), most_lines + 1);
  return line_height * (1 + static_cast<double>(lines)) + 12;
}

/// Each to the right of all that it takes from, and about as high as they are.
std::vector<PlacedBox> placed(std::span<const PageFlow> flow, double& width, double& height) {
  std::vector<PlacedBox> boxes(flow.size());
  std::vector<std::vector<std::size_t>> columns(1);
  for (std::size_t i = 0; i < flow.size(); ++i) {
    std::size_t column = 0;
    for (const std::size_t from : flow[i].from) column = std::max(column, boxes[from].column + 1);
    boxes[i].column = column;
    boxes[i].height = height_of(flow[i]);
    boxes[i].left = margin + static_cast<double>(column) * (box_width + column_gap);
    if (columns.size() <= column) columns.resize(column + 1);
    columns[column].push_back(i);
  }
  const auto wanted = [&](std::size_t i) {
    double sum = 0;
    for (const std::size_t from : flow[i].from) sum += boxes[from].top + boxes[from].height / 2;
    return flow[i].from.empty() ? 0 : sum / static_cast<double>(flow[i].from.size());
  };
  height = 0;
  for (auto& column : columns) {
    std::ranges::stable_sort(column, {}, wanted);
    double filled = margin;
    for (const std::size_t i : column) {
      boxes[i].top = std::max(filled, wanted(i) - boxes[i].height / 2);
      filled = boxes[i].top + boxes[i].height + row_gap;
    }
    height = std::max(height, filled - row_gap + margin);
  }
  width = static_cast<double>(columns.size()) * (box_width + column_gap) - column_gap + 2 * margin;
  return boxes;
}

std::string text_at(double left, double y, const std::string& text, const char* kind) {
  const std::string cut = shortened(text, most_letters);
  return fmt::format("<text class=\"{}\" x=\"{}\" y=\"{}\">{}{}</text>", kind, pixel(left),
                     pixel(y), escaped(cut),
                     cut == text ? "" : "<title>" + escaped(text) + "</title>");
}

std::string box_of(const PageFlow& flow, const PlacedBox& box) {
  std::string out =
      fmt::format("<g class=\"{}\"{}><rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" rx=\"4\"/>",
                  flow.is_source ? "source" : "series", attribute("data-flow", flow.name),
                  pixel(box.left), pixel(box.top), pixel(box_width), pixel(box.height));
  double y = box.top + line_height;
  out += text_at(box.left + 8, y, flow.name, "name");
  for (std::size_t i = 0; i < std::min(flow.lines.size(), most_lines); ++i) {
    y += line_height;
    out += text_at(box.left + 8, y, flow.lines[i], "line");
  }
  if (flow.lines.size() > most_lines) {
    const std::string more = fmt::format("{} more", flow.lines.size() - most_lines);
    out += text_at(box.left + 8, y + line_height, more, "line");
  }
  return out + "</g>";
}

std::string arrow(const PlacedBox& from, const PlacedBox& to) {
  const double x0 = from.left + box_width, y0 = from.top + from.height / 2, x1 = to.left - 6;
  const double y1 = to.top + to.height / 2, middle = (x0 + x1) / 2;
  return fmt::format(
      "<path class=\"flow\" d=\"M{0} {1}C{2} {1} {2} {3} {4} {3}l6 0m-6 -4l6 4l-6 4\"/>", pixel(x0),
      pixel(y0), pixel(middle), pixel(y1), pixel(x1));
}

}  // namespace

std::string flow_svg(std::span<const PageFlow> flow) {
  const std::size_t left_out = flow.size() > most_boxes ? flow.size() - most_boxes : 0;
  if (flow.empty()) return {};
  // What takes from one that is left out is left out, too: it stands behind it.
  flow = flow.first(flow.size() - left_out);
  double width = 0, height = 0;
  const auto boxes = placed(flow, width, height);
  std::string arrows, parts, told;
  for (std::size_t i = 0; i < flow.size(); ++i) {
    std::string from;
    for (const std::size_t other : flow[i].from) {
      arrows += arrow(boxes[other], boxes[i]);
      from += (from.empty() ? " from " : ", ") + flow[other].name;
    }
    parts += box_of(flow[i], boxes[i]);
    told += (i == 0 ? "" : "; ") + flow[i].name + from;
  }
  std::string out = fmt::format(
      "<div class=\"scroll\"><svg class=\"flows\" role=\"img\" viewBox=\"0 0 {0} {1}\" "
      "width=\"{0}\" height=\"{1}\" aria-label=\"What flows where\"><title>What flows "
      "where</title><desc>{2}</desc>{3}</svg></div>",
      pixel(width), pixel(height), escaped(shortened(told, 2000)), arrows + parts);
  if (left_out > 0) out += fmt::format("<p>{} more</p>", left_out);
  return out;
}

}  // namespace zerobeat::detail
