#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <zerobeat/base/text.hpp>

#include "view/picture/kinds.hpp"
#include "view/picture/over_time.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_courses = 6;
/// So many rows of the past for each one ahead, but some at least.
constexpr std::size_t past_rows = 5, least_past = 60;

/// A level's band, by the text that its columns end with: "80", "99_5".
struct Level {
  std::string text{};
  double percent = 0;
};

/// From the widest on, which lies below.
std::vector<Level> levels_of(const Material& material) {
  std::vector<Level> out;
  for (const std::string& text : material.names.at("levels")) {
    std::string number = text;
    std::ranges::replace(number, '_', '.');
    Level level{text};
    from_text(number, level.percent);
    out.push_back(std::move(level));
  }
  std::ranges::stable_sort(out, std::ranges::greater(), &Level::percent);
  return out;
}

/// From pale to strong, of so many bands.
std::string band_ink_of(std::size_t band, std::size_t bands) {
  constexpr int pale[] = {0xd9, 0xe7, 0xf0}, strong[] = {0x9d, 0xc3, 0xdb};
  const double share = bands < 2 ? 0.5 : static_cast<double>(band) / static_cast<double>(bands - 1);
  std::string out = "#";
  for (int i = 0; i < 3; ++i) {
    out += fmt::format("{:02x}",
                       static_cast<int>(std::lround(pale[i] + share * (strong[i] - pale[i]))));
  }
  return out;
}

/// One column of one strand: its past's last rows, and the rows ahead.
struct Course {
  Strand past{}, ahead{};

  [[nodiscard]] bool any() const { return past.size() > 0 && ahead.size() > 0; }
};

Course course_of(const Timeline& past, const Timeline& result, std::size_t s) {
  Course out{past.strands()[s], result.strands()[s]};
  if (out.past.size() == 0) return out;
  // With the past before them, the rows ahead are those after its last.
  const auto times = result.times().subspan(out.ahead.begin, out.ahead.size());
  const auto first = std::ranges::upper_bound(times, past.times()[out.past.end - 1]);
  out.ahead.begin += static_cast<std::size_t>(first - times.begin());
  const std::size_t most = std::max(least_past, past_rows * out.ahead.size());
  if (out.past.size() > most) out.past.begin = out.past.end - most;
  return out;
}

/// The forecast and its bands from the last reading on, where they have no width yet.
class AheadShapes {
 public:
  AheadShapes(const Canvas& canvas, const Timeline& past, const Timeline& result,
              const Course& course, const std::string& column)
      : canvas_(canvas), result_(result), course_(course), column_(column) {
    const Column readings = past.values().column(column).as_numbers();
    for (std::size_t row = course.past.end; row-- > course.past.begin;) {
      if (!readings.valid(row)) continue;
      start_ = Point{canvas.x(past.times()[row]), readings.numbers()[row]};
      break;
    }
  }

  void add_band(Panel& panel, const Level& level, const std::string& ink) const {
    const Column low = column_of("_low" + level.text), high = column_of("_high" + level.text);
    std::vector<AreaRow> rows;
    if (start_) rows.push_back({start_->x, start_->y, start_->y});
    for (std::size_t row = course_.ahead.begin; row < course_.ahead.end; ++row) {
      if (!low.valid(row) || !high.valid(row)) continue;
      rows.push_back({x(row), low.numbers()[row], high.numbers()[row]});
      widen(panel, low.numbers()[row]);
      widen(panel, high.numbers()[row]);
    }
    if (rows.size() < 2) return;
    std::string name = level.text;
    std::ranges::replace(name, '_', '.');
    panel.shapes.push_back({AreaShape{{std::move(rows)}, ink}, name + "% band"});
  }

  void add_line(Panel& panel) const {
    const Column values = column_of("");
    std::vector<Point> points;
    if (start_) points.push_back(*start_);
    for (std::size_t row = course_.ahead.begin; row < course_.ahead.end; ++row) {
      if (!values.valid(row)) continue;
      points.push_back({x(row), values.numbers()[row]});
      widen(panel, points.back().y);
    }
    if (points.size() < 2) return;
    panel.shapes.push_back(
        {LineShape{.stretches = {std::move(points)}, .ink = changed_ink, .width = 2}, "forecast"});
  }

 private:
  [[nodiscard]] double x(std::size_t row) const { return canvas_.x(result_.times()[row]); }
  [[nodiscard]] Column column_of(const std::string& ending) const {
    return result_.values().column(column_ + ending).as_numbers();
  }

  const Canvas& canvas_;
  const Timeline& result_;
  const Course& course_;
  const std::string& column_;
  std::optional<Point> start_{};
};

}  // namespace

DrawnPicture draw_forecast(const PictureTask& task) {
  const Timeline& past = task.material->timelines[0];
  const Timeline& result = task.material->timelines[1];
  const auto& columns = task.material->names.at("on");
  const auto levels = levels_of(*task.material);
  std::vector<Course> courses;
  Canvas canvas = canvas_over(past, task.look);
  bool any = false;
  for (std::size_t s = 0; s < past.strands().size(); ++s) {
    courses.push_back(course_of(past, result, s));
    const Course& course = courses.back();
    if (!course.any()) continue;
    const Instant first = past.times()[course.past.begin];
    const Instant last = result.times()[course.ahead.end - 1];
    canvas.first = any ? std::min(canvas.first, first) : first;
    canvas.last = any ? std::max(canvas.last, last) : last;
    any = true;
  }
  if (!any) return nothing_to_draw("there are no rows ahead");
  DrawnPicture out;
  std::size_t left_out = 0, rows_left_out = 0;
  for (std::size_t s = 0; s < courses.size(); ++s) {
    const Course& course = courses[s];
    if (!course.any()) continue;
    rows_left_out = std::max(rows_left_out, past.strands()[s].size() - course.past.size());
    for (const std::string& column : columns) {
      if (out.drawing.rows.size() == most_courses) {
        ++left_out;
        continue;
      }
      Panel panel = panel_over(canvas, past);
      panel.y.name = axis_name(task.look, column);
      const std::string name = shown_name(task.look, column);
      const bool several = courses.size() > 1 || columns.size() > 1;
      if (several) panel.title = strand_name(task.look, course.past, column);
      const AheadShapes ahead(canvas, past, result, course, column);
      for (std::size_t k = 0; k < levels.size(); ++k) {
        ahead.add_band(panel, levels[k], band_ink_of(k, levels.size()));
      }
      add_course(panel, canvas, past, course.past, column, name, ink(0), 1.4);
      ahead.add_line(panel);
      leave_room(panel);
      // What each is stands once, above the first.
      for (DrawnShape& shape : panel.shapes) shape.in_key &= out.drawing.rows.empty();
      out.drawing.rows.push_back({{std::move(panel)}});
    }
  }
  share_time_axis(out.drawing);
  if (rows_left_out > 0) {
    out.notes.push_back("of a long past only the last rows are drawn");
  }
  if (left_out > 0) {
    out.notes.push_back(fmt::format("{} columns of strands more have no room in it", left_out));
  }
  out.drawing.name =
      columns.size() == 1 ? "Forecast of " + shown_name(task.look, columns[0]) : "Forecast";
  return out;
}

}  // namespace zerobeat::detail
