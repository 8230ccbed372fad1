#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <zerobeat/base/text.hpp>

#include "kernel/sums.hpp"
#include "view/picture/changes.hpp"
#include "view/picture/kinds.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_profile_panels = 24;

std::string word_of(const Column& column, std::size_t row) {
  if (!column.valid(row)) return "all";
  if (column.type() == Column::Type::text) return column.text(row);
  if (column.type() == Column::Type::integer) return fmt::format("{}", column.integers()[row]);
  return fmt::format("{}", column.numbers()[row]);
}

/// The words that a part's column has, in the order of its rows.
std::vector<std::string> words_of(const Column& column) {
  std::vector<std::string> words;
  for (std::size_t row = 0; row < column.size(); ++row) {
    std::string word = word_of(column, row);
    if (std::ranges::find(words, word) == words.end()) words.push_back(std::move(word));
  }
  return words;
}

/// Rows of one strand (and, of gaps, of one column) of one take.
struct ProfilePanel {
  std::string title{}, head{};
  std::vector<std::int64_t> rows{};  ///< of the table
  Column column{};                   ///< of those rows alone
  std::string take{};

  [[nodiscard]] bool is_there(std::size_t row) const {
    return column.valid(row) && std::isfinite(column.numbers()[row]);
  }
};

/// The profile as a picture needs it.
struct Shown {
  const Table& table;
  std::vector<std::string> parts, takes, heads;  ///< heads: columns that tell panels apart
};

std::string head_of(const Shown& shown, std::size_t row) {
  std::string text;
  for (const auto& head : shown.heads) {
    const Column& column = shown.table.column(head);
    const std::string word =
        head == "column" && !column.valid(row) ? "records" : key_text(word_of(column, row));
    text += (text.empty() ? "" : ", ") + word;
  }
  return text;
}

std::vector<ProfilePanel> panels_of(const Shown& shown, const Figure& look) {
  std::vector<ProfilePanel> panels;
  // Rows of one head may lie apart, as those of gaps do; then they are gathered.
  std::vector<std::string> heads;
  std::vector<std::vector<std::int64_t>> rows;
  for (std::size_t row = 0; row < shown.table.rows(); ++row) {
    const std::string head = head_of(shown, row);
    auto at = heads.empty() || heads.back() != head ? std::ranges::find(heads, head)
                                                    : std::prev(heads.end());
    if (at == heads.end()) {
      at = heads.insert(heads.end(), head);
      rows.emplace_back();
    }
    rows[static_cast<std::size_t>(at - heads.begin())].push_back(static_cast<std::int64_t>(row));
  }
  for (std::size_t h = 0; h < heads.size(); ++h) {
    for (const auto& name : shown.takes) {
      const Column& column = shown.table.column(name);
      if (!column.is_numeric()) fail_usage("\"{}\" holds no numbers to draw", name);
      const std::string take = shown_name(look, name);
      panels.push_back({heads[h].empty() ? take : heads[h] + ": " + take, heads[h], rows[h],
                        column.gather(rows[h]).as_numbers(), name});
    }
  }
  if (panels.size() > most_profile_panels) {
    fail_usage("{} panels, one for each key and take, are more than fit, which is {}",
               panels.size(), most_profile_panels);
  }
  return panels;
}

/// What there is of a take, of all strands: their panels have one scale.
Range range_of(const std::vector<ProfilePanel>& panels, const std::string& take, bool log = false) {
  Range range;
  for (const ProfilePanel& panel : panels) {
    if (panel.take != take) continue;
    for (std::size_t row = 0; row < panel.rows.size(); ++row) {
      const double value = panel.column.numbers()[row];
      if (panel.is_there(row) && (!log || value > 0)) range.add(value);
    }
  }
  return range;
}

/// An axis of a part's words; across they are short beside times.
DrawnAxis part_axis(const std::vector<std::string>& words, const std::string& name, bool down) {
  DrawnAxis axis = word_axis(words, down ? 2 : 3);
  axis.reversed = down;
  axis.name = name;
  return axis;
}

/// The dashed line of a profile's bars: the mean of all readings, when a mean was taken of them, of
/// other takes that of the bars.
double mean_of(const PictureTask& task, const ProfilePanel& panel) {
  std::vector<double> values;
  for (std::size_t row = 0; row < panel.rows.size(); ++row) {
    if (panel.is_there(row)) values.push_back(panel.column.numbers()[row]);
  }
  const Material& material = *task.material;
  const auto& takes = material.names.at("takes");
  const auto place = static_cast<std::size_t>(std::ranges::find(takes, panel.take) - takes.begin());
  const auto of = material.names.find("means of");
  if (of != material.names.end() && place < of->second.size() && !of->second[place].empty()) {
    const Timeline& timeline = material.timelines[0];
    const Column readings = timeline.values().column(of->second[place]).as_numbers();
    std::vector<double> all;
    for (const Strand& strand : timeline.strands()) {
      if (strand.key && key_text(*strand.key) != panel.head) continue;
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        const double value = readings.numbers()[row];
        if (readings.valid(row) && std::isfinite(value)) all.push_back(value);
      }
    }
    if (!all.empty()) return sum_of(all).mean(all.size());
  }
  return values.empty() ? std::nan("") : sum_of(values).mean(values.size());
}

/// The place of each row's word among all words.
std::vector<double> places_of(const ProfilePanel& panel, const Column& part,
                              const std::vector<std::string>& words) {
  std::map<std::string, double> place;
  for (std::size_t i = 0; i < words.size(); ++i) place.emplace(words[i], static_cast<double>(i));
  std::vector<double> places;
  for (const std::int64_t row : panel.rows) {
    places.push_back(place.at(word_of(part, static_cast<std::size_t>(row))));
  }
  return places;
}

Panel bars(const PictureTask& task, const ProfilePanel& panel,
           const std::vector<ProfilePanel>& panels, const std::vector<std::string>& words,
           const std::string& part) {
  const Figure& look = task.look;
  Panel out;
  out.title = panels.size() > 1 ? panel.title : "";
  out.x = part_axis(words, part, false);
  out.y.name = axis_name(look, panel.take);
  out.y.log = look.log;
  Range range = range_of(panels, panel.take, look.log);
  if (!range.any) range = {1, 1, true};
  const double span = range.most - range.least;
  if (look.log) {
    out.y.low = range.least / 1.2;
    out.y.high = range.most * 1.2;
  } else {
    // Bars begin at zero; readings that are all far below it hang from there.
    out.y.low = range.least >= 0 ? 0 : range.least - 0.05 * std::max(span, -range.least);
    out.y.high = range.most > 0 ? range.most * 1.05 : 0;
    if (out.y.low == out.y.high) out.y.high = 1;
  }
  if (look.y_range && !std::isinf(look.y_range->low)) out.y.low = look.y_range->low;
  if (look.y_range && !std::isinf(look.y_range->high)) out.y.high = look.y_range->high;
  if (out.y.low >= out.y.high) out.y.high = out.y.low + 1;
  BoxShape shape{.ink = ink(0)};
  const double foot = look.log ? out.y.low : 0;
  const auto places =
      places_of(panel, task.table->column(task.material->names.at("parts")[0]), words);
  for (std::size_t row = 0; row < panel.rows.size(); ++row) {
    if (!panel.is_there(row)) continue;
    const double value = panel.column.numbers()[row], middle = places[row];
    if (look.log && value <= 0) continue;
    shape.boxes.push_back(
        {middle - 0.43, middle + 0.43, std::min(foot, value), std::max(foot, value)});
  }
  out.shapes.push_back({std::move(shape), shown_name(look, panel.take), false, false});
  const double mean = look.mean ? mean_of(task, panel) : std::nan("");
  if (std::isfinite(mean)) {
    out.shapes.push_back({RuleShape{.at = mean, .ink = text_ink}, "mean", false, false});
    out.labels.push_back({"mean " + value_text(mean, 5), 0, mean, text_ink, Label::Where::right});
  }
  return out;
}

Panel heat(const PictureTask& task, const ProfilePanel& panel,
           const std::vector<ProfilePanel>& panels, const std::vector<std::string>& down,
           const std::vector<std::string>& along, const Shown& shown, const std::string& when) {
  Panel out;
  out.title = panel.title;
  out.x = part_axis(along, shown.parts[1] + when, false);
  out.y = part_axis(down, shown.parts[0], true);
  out.x.line = out.y.line = false;
  Range range = range_of(panels, panel.take);
  if (range.least == range.most) range.most += 1;
  out.scale = ColorScale{range.least, range.most, axis_name(task.look, panel.take)};
  HeatShape cells;
  const auto xs = places_of(panel, shown.table.column(shown.parts[1]), along);
  const auto ys = places_of(panel, shown.table.column(shown.parts[0]), down);
  for (std::size_t row = 0; row < panel.rows.size(); ++row) {
    if (!panel.is_there(row)) continue;
    const double x = xs[row], y = ys[row];
    cells.boxes.push_back({x - 0.5, x + 0.5, y - 0.5, y + 0.5});
    cells.values.push_back(panel.column.numbers()[row]);
  }
  out.shapes.push_back({std::move(cells), shown_name(task.look, panel.take), false, false});
  return out;
}

}  // namespace

DrawnPicture draw_profile(const PictureTask& task) {
  const Material& material = *task.material;
  Shown shown{*task.table, material.names.at("parts"), material.names.at("takes"), {}};
  for (const auto& name : task.table->names()) {
    const bool part = std::ranges::find(shown.parts, name) != shown.parts.end();
    const bool text = task.table->column(name).type() == Column::Type::text;
    const Timeline& timeline = material.timelines[0];
    const bool key =
        timeline.has_key() && (name == timeline.key_name() || timeline.is_key_name(name));
    if (!part && text && (key || name == "column")) shown.heads.push_back(name);
  }
  if (task.look.mean && shown.parts.size() > 1) {
    fail_usage("‹mean› goes with bars; a heat map has no line");
  }
  if (shown.parts.size() > 2) {
    fail_usage("a picture goes by one part, or by two crossed, not by {}", shown.parts.size());
  }
  const auto panels = panels_of(shown, task.look);
  const bool any = std::ranges::any_of(panels, [](const ProfilePanel& panel) {
    return panel.column.validity().missing() < panel.column.size();
  });
  if (!any) return nothing_to_draw("every reading is missing");
  const Zone zone = material.timelines[0].zone();
  const std::string when = zone.is_utc() ? " (UTC)" : " (local time, " + zone.name() + ")";
  const auto first = words_of(shown.table.column(shown.parts[0]));
  DrawnPicture out;
  std::vector<Panel> drawn;
  for (const ProfilePanel& panel : panels) {
    drawn.push_back(shown.parts.size() == 1
                        ? bars(task, panel, panels, first, shown.parts[0] + when)
                        : heat(task, panel, panels, first,
                               words_of(shown.table.column(shown.parts[1])), shown, when));
  }
  std::size_t below = 0;
  for (const ProfilePanel& panel : panels) {
    for (std::size_t row = 0; row < panel.rows.size(); ++row) {
      below += task.look.log && panel.is_there(row) && panel.column.numbers()[row] <= 0;
    }
  }
  if (below > 0) {
    out.notes.push_back(fmt::format("‹log›: {} bars are not above zero and have no place",
                                    grouped(static_cast<std::int64_t>(below))));
  }
  out.drawing.rows = rows_of(std::move(drawn));
  out.drawing.name =
      fmt::format("{} by {}", fmt::join(shown.takes, ", "), fmt::join(shown.parts, ", "));
  out.drawing.description = fmt::format("{} of {}: {} rows", out.drawing.name,
                                        material.timelines[0].name(), task.table->rows());
  return out;
}

}  // namespace zerobeat::detail
