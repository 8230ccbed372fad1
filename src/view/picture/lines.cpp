#include "view/picture/lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "view/picture/chosen_lines.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_titles = 16;

/// The width of each bar: to the next row, the last one's as the one before; before a gap the
/// usual one.
std::vector<double> widths_of(const Line& line, const Canvas& canvas) {
  const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
  std::vector<double> widths;
  for (std::size_t i = 0; i + 1 < times.size(); ++i) {
    widths.push_back(canvas.x(times[i + 1]) - canvas.x(times[i]));
  }
  widths.push_back(widths.empty() ? canvas.x(canvas.last) - canvas.x(canvas.first) : widths.back());
  // A gap is no bucket: what is far wider than usual is as wide as usual.
  std::vector<double> sorted = widths;
  const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2);
  std::nth_element(sorted.begin(), middle, sorted.end());
  for (double& width : widths) {
    if (width > 1.6 * *middle) width = *middle;
  }
  return widths;
}

/// A reading that stands until the next one.
std::vector<Point> as_steps(const std::vector<Point>& points) {
  std::vector<Point> steps;
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (i > 0) steps.push_back({points[i].x, points[i - 1].y});
    steps.push_back(points[i]);
  }
  return steps;
}

/// The panels of a picture of lines.
class LinePanels {
 public:
  explicit LinePanels(const PictureLines& its) : its_(its) {}

  std::vector<Panel> panels() const {
    std::vector<Panel> out;
    for (const auto& panel : its_.panels) out.push_back(panel_of(panel));
    return out;
  }

  std::string time_text(Instant t) const {
    if (its_.axis.is_instants()) return to_text(t);
    std::string text;
    append_elapsed(text, t, *its_.axis.elapsed);
    return text + " " + to_text(*its_.axis.elapsed);
  }

  void describe(Drawing& drawing) const {
    std::vector<std::string> titles;
    std::size_t readings = 0;
    for (std::size_t n = 0; n < its_.lines.size(); ++n) {
      readings += its_.drawn[n].readings;
      if (titles.size() < most_titles) titles.push_back(shown(its_.lines[n].title));
    }
    drawing.name = fmt::format("{}", fmt::join(titles, ", "));
    drawing.description = fmt::format(
        "{} readings in {} lines, from {} to {}", grouped(static_cast<std::int64_t>(readings)),
        its_.lines.size(), time_text(its_.canvas.first), time_text(its_.canvas.last));
  }

  /// Whether bars of several levels stand in panels of their own, each on its own scale.
  bool of_levels() const { return its_.look.panels == Panels::none && its_.panels.size() > 1; }

 private:
  using PanelLines = PictureLines::PanelLines;

  bool several() const { return its_.panels.size() > 1; }

  Panel panel_of(const PanelLines& lines) const {
    Panel panel;
    if (several()) panel.title = lines.title;
    panel.x = time_axis(its_.canvas, its_.zone, its_.axis, its_.all.front()->time_name());
    if (its_.look.log_x) {
      panel.x.log = true;
      panel.x.low = its_.canvas.x(its_.canvas.first);
      panel.x.ticks = {};
    }
    const bool any_left =
        std::ranges::any_of(lines.lines, [&](std::size_t n) { return !its_.lines[n].right_axis; });
    const bool any_right =
        std::ranges::any_of(lines.lines, [&](std::size_t n) { return its_.lines[n].right_axis; });
    panel.y = y_axis(lines, false);
    if (!any_left) panel.y.ticks = [](int) { return std::vector<AxisTick>(); };
    if (any_right) panel.right = y_axis(lines, true);
    add_shades(panel, lines);
    for (const std::size_t n : lines.lines) add_bands(panel, n);
    if (its_.look.bars) {
      for (std::size_t place = 0; place < lines.lines.size(); ++place) {
        add_bars(panel, lines, place);
      }
    } else {
      // What was smoothed lies behind what smooths it.
      for (const bool under : {true, false}) {
        for (const std::size_t n : lines.lines) {
          if (is_under(n) == under) add_line(panel, n);
        }
      }
    }
    for (const std::size_t n : lines.lines) add_marks(panel, n);
    for (const std::size_t n : lines.lines) add_mean_and_last(panel, n);
    add_clock_changes(panel);
    thin_key(panel, lines);
    return panel;
  }

  /// A panel whose title says all that its key would has none.
  void thin_key(Panel& panel, const PanelLines& lines) const {
    if (!several()) return;
    const auto& first = its_.lines[lines.lines[0]].name;
    const bool one_column = std::ranges::all_of(
        lines.lines, [&](std::size_t n) { return its_.lines[n].name == first; });
    const bool by_title = its_.look.panels != Panels::columns || lines.lines.size() == 1;
    if (!one_column || !by_title) return;
    for (DrawnShape& shape : panel.shapes) {
      if (shape.name == title_of(lines.lines[0])) shape.in_key = false;
    }
  }

  std::string title_of(std::size_t n) const {
    const Line& line = its_.lines[n];
    if (!several()) return line.title;
    if (its_.look.panels == Panels::columns && (line.strand.key || its_.files > 1)) {
      std::string title = line.strand.key ? key_text(*line.strand.key) : "";
      if (its_.files > 1) title += (title.empty() ? "" : " ") + line.timeline->name();
      return title;
    }
    if (line.over || its_.files > 1) return line.title;
    return shown_name(its_.look, line.name);
  }

  DrawnAxis y_axis(const PanelLines& lines, bool right) const {
    DrawnAxis axis;
    axis.log = its_.look.log && !right;
    axis.grid = !right;
    Range range;
    // Panels of the same columns have one scale.
    const bool shared = several() && !of_levels();
    const auto has_name = [&](const std::string& name) {
      return std::ranges::any_of(lines.lines,
                                 [&](std::size_t n) { return its_.lines[n].name == name; });
    };
    for (std::size_t n = 0; n < its_.lines.size(); ++n) {
      const bool own = (shared && has_name(its_.lines[n].name)) ||
                       std::ranges::find(lines.lines, n) != lines.lines.end();
      if (!own || its_.lines[n].right_axis != right || its_.drawn[n].readings == 0) continue;
      if (!right && its_.changed.any() && its_.kept_range.any) {
        range.add(range_without(its_.lines[n], its_.changed));  // what was changed can't flatten it
      } else {
        range.add(its_.drawn[n].least);
        range.add(its_.drawn[n].most);
      }
    }
    if (!range.any) range = {0, 1, true};
    const bool from_zero = its_.look.bars && range.least >= 0 && !axis.log;
    if (axis.log) {
      const double room = std::max(1.02, std::pow(range.most / range.least, 0.05));
      axis.low = range.least / room;
      axis.high = range.most * room;
    } else {
      const double span = range.most - range.least;
      const double room = span > 0 ? 0.05 * span : std::max(std::fabs(range.most) * 0.05, 0.5);
      axis.low = from_zero ? 0 : range.least - room;
      axis.high = range.most + room;
    }
    const auto& given = right ? its_.look.y2_range : its_.look.y_range;
    if (given && !std::isinf(given->low)) axis.low = given->low;
    if (given && !std::isinf(given->high)) axis.high = given->high;
    if (axis.low >= axis.high) {
      // One side was given, and lies beyond all that there is.
      (given && !std::isinf(given->low) ? axis.high : axis.low) =
          given && !std::isinf(given->low) ? axis.low + 1 : axis.high - 1;
    }
    axis.name = axis_label(lines, right);
    return axis;
  }

  std::string axis_label(const PanelLines& lines, bool right) const {
    std::vector<std::string> names;
    for (const std::size_t n : lines.lines) {
      if (its_.lines[n].right_axis != right) continue;
      const std::string name = axis_name(its_.look, its_.lines[n].name);
      if (std::ranges::find(names, name) == names.end()) names.push_back(name);
    }
    if (names.size() > 3)
      return fmt::format("{}, {} and {} more", names[0], names[1], names.size() - 2);
    return fmt::format("{}", fmt::join(names, ", "));
  }

  /// What lies under another line is pale.
  bool is_under(std::size_t n) const {
    const Line& line = its_.lines[n];
    if (std::ranges::find(its_.raw, line.name) != its_.raw.end()) return true;
    return its_.over != nullptr && !line.over && line.timeline == its_.all.front() &&
           its_.all.size() == 2;
  }

  /// Panels of keys have the inks of their columns; else each line that is not pale has its own.
  std::size_t ink_of(std::size_t n) const {
    if (its_.look.panels == Panels::strands && its_.lines[n].strand.key) {
      std::vector<std::string> names;
      for (const Line& line : its_.lines) {
        if (std::ranges::find(names, line.name) == names.end()) names.push_back(line.name);
      }
      return static_cast<std::size_t>(std::ranges::find(names, its_.lines[n].name) - names.begin());
    }
    std::size_t before = 0;
    for (std::size_t i = 0; i < n; ++i) before += !is_under(i) && its_.drawn[i].readings > 0;
    return before;
  }

  void add_line(Panel& panel, std::size_t n) const {
    const Line& line = its_.lines[n];
    const DrawnLine& drawn = its_.drawn[n];
    const std::string color = is_under(n) ? pale_ink : ink(ink_of(n));
    LineShape shape{.ink = color, .width = line.over ? 2.2 : 1.6, .dash = dash(ink_of(n))};
    if (line.right_axis) shape.dash = Dash::dashed;
    PointShape points{.ink = color, .mark = Mark::dot, .size = its_.look.points ? 4.5 : 3.2};
    for (const auto& stretch : drawn.stretches) {
      if (stretch.empty()) continue;
      // A reading between two gaps is a dot, or nobody would see it.
      const bool alone = stretch.size() == 1;
      if (alone || its_.look.points) {
        points.points.insert(points.points.end(), stretch.begin(), stretch.end());
      }
      if (!alone) shape.stretches.push_back(its_.look.steps ? as_steps(stretch) : stretch);
    }
    const std::string title = title_of(n);
    const bool any_line = !shape.stretches.empty();
    if (any_line) panel.shapes.push_back({std::move(shape), title, line.right_axis});
    if (!points.points.empty()) {
      panel.shapes.push_back({std::move(points), title, line.right_axis, !any_line});
    }
    if (!drawn.partial.empty()) {
      panel.shapes.push_back(
          {PointShape{drawn.partial, color, Mark::ring, 10}, "partial bucket", line.right_axis});
    }
  }

  /// Bars of one line within their buckets: side by side with those of the other lines.
  void add_bars(Panel& panel, const PanelLines& lines, std::size_t place) const {
    const std::size_t n = lines.lines[place];
    const Line& line = its_.lines[n];
    const auto widths = widths_of(line, its_.canvas);
    const auto beside = static_cast<double>(lines.lines.size());
    const Table& table = line.timeline->values();
    const auto partial_place = table.find("partial");
    const Column* partial = nullptr;
    if (partial_place && table.columns()[*partial_place].type() == Column::Type::boolean) {
      partial = &table.columns()[*partial_place];
    }
    const std::string color = ink(of_levels() ? 0 : ink_of(n));
    BoxShape whole{.ink = color}, part{.ink = color, .hatched = true};
    for (std::size_t i = 0; i < line.strand.size(); ++i) {
      const std::size_t row = line.strand.begin + i;
      const double value = line.column.numbers()[row];
      const bool there = line.column.valid(row) && std::isfinite(value);
      if (!there || (its_.look.log && value <= 0)) continue;
      const double width = 0.86 * widths[i] / beside;
      const double left = its_.canvas.x(line.timeline->times()[row]) + 0.07 * widths[i] +
                          width * static_cast<double>(place);
      const double foot = its_.look.log ? panel.y.low : 0;
      const bool is_partial = partial != nullptr && partial->valid(row) && partial->boolean(row);
      (is_partial ? part : whole)
          .boxes.push_back({left, left + width, std::min(foot, value), std::max(foot, value)});
    }
    if (!whole.boxes.empty()) {
      panel.shapes.push_back({std::move(whole), title_of(n), line.right_axis});
    }
    if (!part.boxes.empty()) {
      panel.shapes.push_back({std::move(part), "partial bucket", line.right_axis});
    }
  }

  void add_bands(Panel& panel, std::size_t n) const {
    const Line& line = its_.lines[n];
    const BandColumns& given = its_.look.band;
    const bool named = !given.empty();
    const std::string low = named ? given.first : line.name + "_low";
    const std::string high = named ? given.second : line.name + "_high";
    const bool first = !named || std::ranges::none_of(panel.shapes, [](const DrawnShape& shape) {
      return std::holds_alternative<AreaShape>(shape.what);
    });
    if (!first) return;
    auto stretches = band_between(line, low, high, its_.canvas);
    if (stretches.empty()) return;
    const std::string name = named ? low + " to " + high : "no outlier";
    panel.shapes.push_back({AreaShape{std::move(stretches), band_ink}, name, line.right_axis});
  }

  /// Readings that were changed; those that the axis does not hold stand at its edge, with their
  /// values beside them.
  void add_marks(Panel& panel, std::size_t n) const {
    if (its_.marks.empty() || its_.marks[n].empty()) return;
    const double low = panel.y.low, high = panel.y.high;
    PointShape inside{.ink = changed_ink, .mark = Mark::ring, .size = 11};
    PointShape above{.ink = changed_ink, .mark = Mark::up, .size = 10};
    PointShape below{.ink = changed_ink, .mark = Mark::down, .size = 10};
    for (const Point& point : its_.marks[n]) {
      (point.y > high  ? above
       : point.y < low ? below
                       : inside)
          .points.push_back({point.x, std::clamp(point.y, low, high)});
      if (point.y <= high && point.y >= low) continue;
      panel.labels.push_back(
          {value_text(point.y, 4), point.x, std::clamp(point.y, low, high), changed_ink});
    }
    for (PointShape* shape : {&inside, &above, &below}) {
      if (!shape->points.empty()) panel.shapes.push_back({std::move(*shape), "changed"});
    }
  }

  void add_mean_and_last(Panel& panel, std::size_t n) const {
    const Line& line = its_.lines[n];
    const DrawnLine& drawn = its_.drawn[n];
    const std::string color = is_under(n) ? soft_ink : ink(of_levels() ? 0 : ink_of(n));
    const bool has_mean = its_.look.mean && std::isfinite(drawn.mean);
    if (has_mean) {
      panel.shapes.push_back({RuleShape{.at = drawn.mean, .ink = color}, "mean of " + title_of(n),
                              line.right_axis, false});
      panel.labels.push_back({"mean " + value_text(drawn.mean), 0, drawn.mean, color,
                              Label::Where::right, line.right_axis});
    }
    if (!its_.look.label_last || drawn.stretches.empty()) return;
    const auto last = std::find_if(drawn.stretches.rbegin(), drawn.stretches.rend(),
                                   [](const auto& stretch) { return !stretch.empty(); });
    if (last == drawn.stretches.rend()) return;
    const double value = last->back().y;
    panel.labels.push_back(
        {value_text(value), 0, value, color, Label::Where::right, line.right_axis});
  }

  void add_shades(Panel& panel, const PanelLines& lines) const {
    if (its_.look.gaps) {
      std::vector<Stretches> gaps;
      for (const std::size_t n : lines.lines) gaps.push_back(its_.drawn[n].gaps);
      add_stretches(panel, common_gaps(gaps), gap_ink, "no line");
    }
    if (its_.look.spells.empty()) return;
    std::vector<Stretches> all;
    for (const std::size_t n : lines.lines) all.push_back(its_.spells.of(its_.lines[n]));
    auto stretches = together(all);
    add_stretches(panel, stretches, spell_ink, its_.look.spells.text());
    if (stretches.empty()) {
      panel.shapes.push_back({BoxShape{.ink = spell_ink}, its_.look.spells.text()});
    }
  }

  static void add_stretches(Panel& panel, const Stretches& stretches, const char* color,
                            const std::string& name) {
    if (stretches.empty()) return;
    BoxShape boxes{.ink = color};
    for (const auto& [from, until] : stretches) boxes.boxes.push_back({from, until});
    panel.shapes.push_back({std::move(boxes), name});
  }

  void add_clock_changes(Panel& panel) const {
    if (!its_.axis.is_instants()) return;
    for (const auto& change : clock_changes(its_.canvas.first, its_.canvas.last, its_.zone)) {
      const double x = its_.canvas.x(change.at);
      const auto minutes = std::abs(change.by.count()) / 60;
      const std::string text = fmt::format(
          "clocks go {} {}", change.by.count() < 0 ? "back" : "ahead",
          minutes % 60 == 0 ? fmt::format("{} h", minutes / 60) : fmt::format("{} min", minutes));
      panel.shapes.push_back(
          {RuleShape{.at = x, .vertical = true, .ink = "#8a949c", .width = 1}, text, false, false});
      panel.labels.push_back({text, x, 0, soft_ink, Label::Where::above});
    }
  }

  const PictureLines& its_;
};

}  // namespace

DrawnPicture draw_lines(const PictureTask& task) {
  if (!task.look.scatter.empty()) return draw_scatter(task);
  if (task.look.line) fail_usage("‹line› goes with ‹scatter› X,Y");
  const PictureLines lines(task.timelines, task.over, task.look);
  if (task.look.log_x && lines.axis.is_instants()) {
    fail_usage(
        "‹log_x›: times of the calendar have no logarithm; it goes with ‹scatter›, and with "
        "elapsed times");
  }
  if (!lines.nothing.empty()) {
    DrawnPicture out = nothing_to_draw(lines.nothing);
    out.notes.insert(out.notes.begin(), lines.notes.begin(), lines.notes.end());
    return out;
  }
  const LinePanels panels(lines);
  DrawnPicture out{.notes = lines.notes};
  panels.describe(out.drawing);
  if (panels.of_levels()) {
    for (Panel& panel : panels.panels()) out.drawing.rows.push_back({{std::move(panel)}});
  } else {
    out.drawing.rows = rows_of(panels.panels());
  }
  return out;
}

}  // namespace zerobeat::detail
