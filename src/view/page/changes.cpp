#include "view/page/changes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <zerobeat/base/text.hpp>

#include "view/page/html.hpp"
#include "view/page/sections.hpp"
#include "view/page/svg.hpp"
#include "view/picture/line.hpp"
#include "view/picture/names.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int stretch_width = 640, stretch_height = 260;

using Readings = std::vector<std::pair<Instant, std::optional<double>>>;

/// What there is to draw of readings: lines, open where one is missing, and those between two that
/// are.
struct Course {
  LineShape line{};
  PointShape alone{};
};

Course course_of(const Readings& readings, const Canvas& canvas, double& low, double& high) {
  Course course;
  bool open = true;
  for (const auto& [at, value] : readings) {
    if (!value || !std::isfinite(*value)) {
      open = true;
      continue;
    }
    low = std::min(low, *value);
    high = std::max(high, *value);
    if (std::exchange(open, false)) course.line.stretches.emplace_back();
    course.line.stretches.back().push_back({canvas.x(at), *value});
  }
  course.alone.points = take_lone_points(course.line);
  return course;
}

std::string title_of(const PageContent& content, const PageStretch& stretch) {
  const StepAccount& step = content.steps[stretch.step];
  return fmt::format("{}{}: {}{}", step.series.empty() ? "" : step.series + ", ", step.step,
                     stretch.column, stretch.key.empty() ? "" : ", " + key_text(stretch.key));
}

std::string stretch_figure(const PageContent& content, const PageStretch& stretch) {
  Canvas canvas{.width = stretch_width, .unit = stretch.axis.elapsed};
  bool any = false;
  for (const Readings* readings : {&stretch.before, &stretch.after}) {
    if (readings->empty()) continue;
    canvas.first = any ? std::min(canvas.first, readings->front().first) : readings->front().first;
    canvas.last = any ? std::max(canvas.last, readings->back().first) : readings->back().first;
    any = true;
  }
  if (canvas.last <= canvas.first) canvas.last = canvas.first + Nanoseconds(1);
  double low = std::numeric_limits<double>::infinity(), high = -low;
  Course before = course_of(stretch.before, canvas, low, high);
  Course after = course_of(stretch.after, canvas, low, high);
  if (!(low <= high)) return {};
  Panel panel;
  panel.x = time_axis(canvas, stretch.zone, stretch.axis, stretch.time_name);
  panel.y.name = name_with_unit(stretch.column);
  const double room = high > low ? 0.06 * (high - low) : std::max(1e-9, 0.05 * std::abs(high));
  panel.y.low = low - room;
  panel.y.high = high + room;
  // What was there lies behind, paler.
  before.line.ink = before.alone.ink = changed_ink;
  before.line.width = 1.2;
  before.line.dash = Dash::dashed;
  after.line.ink = after.alone.ink = ink(0);
  after.line.width = 1.8;
  panel.shapes.push_back({std::move(before.line), "before", false, true});
  if (!before.alone.points.empty()) {
    panel.shapes.push_back({std::move(before.alone), "before, alone", false, false});
  }
  panel.shapes.push_back({std::move(after.line), "after", false, true});
  if (!after.alone.points.empty()) {
    panel.shapes.push_back({std::move(after.alone), "after, alone", false, false});
  }
  Drawing drawing;
  drawing.name = "Before and after " + title_of(content, stretch);
  drawing.description =
      fmt::format("{} readings before, {} after", stretch.before.size(), stretch.after.size());
  drawing.rows.push_back({{std::move(panel)}});
  return fmt::format("<figure{}>{}<figcaption>{}</figcaption></figure>",
                     attribute("data-step", content.steps[stretch.step].step),
                     page_svg(drawing, stretch_width, stretch_height),
                     escaped(title_of(content, stretch)));
}

const char* word_of(const PageChange& change) {
  return !change.before ? "filled" : !change.after ? "taken away" : "set";
}

std::string number_text(const std::optional<double>& value) {
  return value ? fmt::format("{}", *value) : std::string("–");
}

}  // namespace

std::string stretches_html(const PageContent& content) {
  constexpr std::size_t most = 24;
  std::string out;
  const std::size_t drawn = std::min(most, content.stretches.size());
  for (std::size_t i = 0; i < drawn; ++i) out += stretch_figure(content, content.stretches[i]);
  if (out.empty()) return {};
  if (content.stretches.size() > most) {
    out += fmt::format("<p>{} more</p>", content.stretches.size() - most);
  }
  return "<h3>Before and after, where each step changed most</h3><div class=\"stretches\">" + out +
         "</div>";
}

std::string changes_table(const PageContent& content) {
  if (content.all_changes == 0) return {};
  std::string rows;
  for (const PageChange& change : content.changes) {
    const StepAccount& step = content.steps[change.step];
    rows += fmt::format(
        "<tr{}{}><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td "
        "class=\"number\"{}>{}</td><td class=\"number\"{}>{}</td></tr>",
        attribute("data-column", change.column), attribute("data-key", change.key),
        escaped(change.time),
        escaped(step.series.empty() ? step.step : step.series + ", " + step.step),
        escaped(change.column), escaped(change.key), word_of(change),
        change.before ? attribute("data-before", *change.before) : "", number_text(change.before),
        change.after ? attribute("data-after", *change.after) : "", number_text(change.after));
  }
  const auto left_out = content.all_changes - static_cast<std::int64_t>(content.changes.size());
  return fmt::format(
      "<h3>{}</h3><div class=\"scroll long\" tabindex=\"0\" role=\"region\" "
      "aria-label=\"Changes\"><table id=\"changes\"><thead><tr><th scope=\"col\">time</th><th "
      "scope=\"col\">step</th><th scope=\"col\">column</th><th scope=\"col\">strand</th><th "
      "scope=\"col\">what</th><th scope=\"col\" class=\"number\">before</th><th scope=\"col\" "
      "class=\"number\">after</th></tr></thead><tbody>{}</tbody></table></div>{}",
      counted(content.all_changes, "reading was changed", "readings were changed"), rows,
      left_out > 0 ? fmt::format("<p>{} more</p>", grouped(left_out)) : std::string());
}

}  // namespace zerobeat::detail
