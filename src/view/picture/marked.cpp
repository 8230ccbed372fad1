#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "view/picture/kinds.hpp"
#include "view/picture/over_time.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_marked_panels = 6;

/// Where something was found in a column of a strand: `strand`, `column` (a place), `at`, `value`
/// and `up` of the material's table.
class Found {
 public:
  explicit Found(const Table& table)
      : strands_(table.column("strand")),
        columns_(table.column("column")),
        at_(table.column("at")),
        values_(table.column("value")),
        up_(table.column("up")) {}

  [[nodiscard]] bool any(std::size_t strand, std::size_t column) const {
    for (std::size_t i = 0; i < strands_.size(); ++i) {
      if (is_of(i, strand, column)) return true;
    }
    return false;
  }

  /// Adds marks to a panel: upwards for peaks and rises, downwards for the others.
  void add_to(Panel& panel, const Canvas& canvas, std::size_t strand, std::size_t column,
              const char* up_name, const char* down_name) const {
    PointShape up{.ink = changed_ink, .mark = Mark::up, .size = 9};
    PointShape down{.ink = ink(5), .mark = Mark::down, .size = 9};
    for (std::size_t i = 0; i < strands_.size(); ++i) {
      if (!is_of(i, strand, column) || !values_.valid(i)) continue;
      const Point point{canvas.x(at_.times()[i]), values_.numbers()[i]};
      widen(panel, point.y);
      (up_.integers()[i] != 0 ? up : down).points.push_back(point);
    }
    if (!up.points.empty()) panel.shapes.push_back({std::move(up), up_name});
    if (!down.points.empty()) panel.shapes.push_back({std::move(down), down_name});
  }

 private:
  [[nodiscard]] bool is_of(std::size_t i, std::size_t strand, std::size_t column) const {
    return strands_.integers()[i] == static_cast<std::int64_t>(strand) &&
           columns_.integers()[i] == static_cast<std::int64_t>(column);
  }

  Column strands_, columns_, at_, values_, up_;
};

/// A panel for each column and strand of which there is something.
DrawnPicture marked(const PictureTask& task, const std::vector<std::string>& columns,
                    const char* up_name, const char* down_name,
                    const std::function<void(Panel&, const Canvas&, const Strand&)>& add_other) {
  const Timeline& timeline = task.material->timelines[0];
  const Found found(task.material->tables.at("found"));
  const Canvas canvas = canvas_over(timeline, task.look);
  std::vector<Panel> panels;
  std::size_t left_out = 0;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    for (std::size_t c = 0; c < columns.size(); ++c) {
      if (strand.size() == 0 || !found.any(s, c)) continue;
      if (panels.size() == most_marked_panels) {
        ++left_out;
        continue;
      }
      Panel panel = panel_over(canvas, timeline);
      panel.y.name = axis_name(task.look, columns[c]);
      panel.title = strand_name(task.look, strand, columns[c]);
      add_course(panel, canvas, timeline, strand, columns[c], shown_name(task.look, columns[c]),
                 ink(0), 1.4);
      add_other(panel, canvas, strand);
      found.add_to(panel, canvas, s, c, up_name, down_name);
      leave_room(panel);
      panels.push_back(std::move(panel));
    }
  }
  if (panels.empty()) return nothing_to_draw("nothing was found");
  DrawnPicture out;
  if (left_out > 0) {
    out.notes.push_back(fmt::format("{} columns of strands more have no room in it", left_out));
  }
  for (Panel& panel : panels) out.drawing.rows.push_back({{std::move(panel)}});
  return out;
}

}  // namespace

DrawnPicture draw_peaks(const PictureTask& task) {
  DrawnPicture out = marked(task, task.material->names.at("on"), "peaks", "troughs",
                            [](Panel&, const Canvas&, const Strand&) {});
  out.drawing.name = "Peaks and troughs";
  return out;
}

DrawnPicture draw_crossings(const PictureTask& task) {
  const Timeline& timeline = task.material->timelines[0];
  const std::string& with = task.material->names.at("with")[0];
  const auto add_other = [&](Panel& panel, const Canvas& canvas, const Strand& strand) {
    if (timeline.values().find(with)) {
      add_course(panel, canvas, timeline, strand, with, shown_name(task.look, with), ink(2), 1.4);
      return;
    }
    double value = 0;
    from_text(with, value);
    widen(panel, value);
    panel.shapes.push_back({RuleShape{.at = value, .ink = ink(2)}, with});
  };
  DrawnPicture out = marked(task, task.material->names.at("of"), "upwards", "downwards", add_other);
  out.drawing.name = "Crossings";
  return out;
}

}  // namespace zerobeat::detail
