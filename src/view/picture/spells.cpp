#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/text.hpp>

#include "view/picture/kinds.hpp"
#include "view/picture/lanes.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The strand of each row of the table, by the words of its key.
std::vector<std::size_t> strands_of(const Table& table, const Timeline& timeline) {
  std::vector<std::size_t> strands(table.rows(), 0);
  if (!timeline.has_key()) return strands;
  std::vector<const Column*> keys;
  for (const auto& name : timeline.key_names()) keys.push_back(&table.column(name));
  std::vector<std::string> names;
  for (const Strand& strand : timeline.strands())
    names.push_back(key_text(strand.key.value_or("")));
  for (std::size_t row = 0; row < table.rows(); ++row) {
    std::string key;
    for (const Column* column : keys) key += (column == keys[0] ? "" : "+") + column->text(row);
    const auto at = std::ranges::find(names, key);
    strands[row] = at == names.end() ? 0 : static_cast<std::size_t>(at - names.begin());
  }
  return strands;
}

/// A column of the table as what Canvas::x gives.
double place_of(const Column& column, std::size_t row, const Canvas& canvas) {
  return column.type() == Column::Type::time ? canvas.x(column.times()[row])
                                             : column.numbers()[row];
}

}  // namespace

DrawnPicture draw_spells(const PictureTask& task) {
  const Timeline& timeline = task.material->timelines[0];
  if (timeline.rows() == 0) return nothing_to_draw("no records");
  check_lanes(timeline.strands().size());
  const Canvas canvas = canvas_of(task, timeline.times());
  const std::string& condition = task.material->names.at("where")[0];
  const Column &from = task.table->column("from"), &to = task.table->column("to");
  const auto strand_of = strands_of(*task.table, timeline);
  DrawnPicture out;
  Panel panel;
  panel.x = time_axis(canvas, timeline.zone(), timeline.axis(), timeline.time_name());
  std::vector<std::size_t> counts(timeline.strands().size(), 0);
  BoxShape span{.ink = "#e6edf1"}, held{.ink = ink(0)};
  const std::size_t lanes = timeline.strands().size();
  for (std::size_t s = 0; s < lanes; ++s) {
    const Strand& strand = timeline.strands()[s];
    if (strand.size() == 0) continue;
    span.boxes.push_back(Lane(s, lanes).box(canvas.x(timeline.times()[strand.begin]),
                                            canvas.x(timeline.times()[strand.end - 1])));
  }
  // A spell that is shorter than a pixel is seen all the same.
  const double pixel = (panel.x.high - panel.x.low) / std::max(1, canvas.width);
  for (std::size_t row = 0; row < task.table->rows(); ++row) {
    const double left = place_of(from, row, canvas);
    const double right = std::max(place_of(to, row, canvas), left + pixel);
    held.boxes.push_back(Lane(strand_of[row], lanes).box(left, right));
    ++counts[strand_of[row]];
  }
  std::vector<std::string> titles, told;
  for (std::size_t s = 0; s < lanes; ++s) {
    const auto& key = timeline.strands()[s].key;
    titles.push_back(key ? key_text(*key) : timeline.name());
    told.push_back(fmt::format("{} spell{}", grouped(static_cast<std::int64_t>(counts[s])),
                               counts[s] == 1 ? "" : "s"));
  }
  set_lanes(panel, titles, told);
  panel.shapes.push_back({std::move(span), "records"});
  panel.shapes.push_back({std::move(held), condition});
  out.drawing.name = "When " + condition;
  out.drawing.description = fmt::format("{} spells in {} strands", task.table->rows(), lanes);
  out.drawing.rows.push_back({{std::move(panel)}});
  return out;
}

}  // namespace zerobeat::detail
