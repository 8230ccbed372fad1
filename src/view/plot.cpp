#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/text.hpp>
#include <zerobeat/view/plot.hpp>

#include "view/drawing/gnuplot.hpp"
#include "view/drawing/terminal.hpp"
#include "view/picture/picture.hpp"

namespace zerobeat::inline v1 {

namespace {

/// Only what the figure chooses; keys of those that have any.
std::vector<Timeline> chosen(std::span<const Timeline> timelines, const Figure& look, bool several,
                             std::vector<std::string>& notes) {
  std::vector<Timeline> out;
  const bool any_key = std::ranges::any_of(timelines, &Timeline::has_key);
  for (const Timeline& timeline : timelines) {
    Select options{.between = look.between, .last = look.last};
    if (timeline.has_key() || !any_key) options.keys = look.keys;
    if (options == Select{}) {
      out.push_back(timeline);
      continue;
    }
    out.push_back(select(timeline, options));
    for (const auto& note : out.back().account().last().notes) {
      notes.push_back(several ? timeline.name() + ": " + note : note);
    }
  }
  return out;
}

/// What is drawn of a result, on a canvas of the look's size.
detail::DrawnPicture draw(const Plotted& what, const Figure& look) {
  if (what.timelines.empty() && what.table == nullptr) {
    fail_usage("there is nothing to draw: name a file");
  }
  const bool has_material = static_cast<bool>(what.material);
  const detail::PictureKind& kind = detail::picture_of(what.made_by, has_material);
  detail::check_looks(kind, look);
  if (what.table != nullptr && kind.made_by.empty()) {
    fail_usage("the table of {} is not drawn: there is no picture of it",
               what.made_by.empty() ? "this step" : what.made_by);
  }
  std::vector<std::string> notes;
  const bool several = what.timelines.size() > 1 || what.over != nullptr;
  detail::PictureTask task{.table = what.table, .look = look};
  std::vector<Timeline> timelines, over;
  Material material;
  std::vector<Material> more;
  if (!what.more.empty() && !kind.of_several) {
    fail_usage("the picture of {} is of one result, not of {}", what.made_by, what.more.size() + 1);
  }
  if (kind.made_by.empty()) {
    timelines = chosen(what.timelines, look, several, notes);
    if (what.over != nullptr) over = chosen({what.over, 1}, look, several, notes);
    task.timelines = timelines;
    task.over = over.empty() ? nullptr : over.data();
  } else {
    material = what.material();
    task.timelines = what.timelines;
    task.material = &material;
    for (const MaterialMaker& maker : what.more) more.push_back(maker());
    task.more = more;
  }
  detail::DrawnPicture drawn = kind.draw(task);
  notes.insert(notes.end(), drawn.notes.begin(), drawn.notes.end());
  drawn.notes = std::move(notes);
  drawn.drawing.title = look.title;
  drawn.drawing.subtitle = look.subtitle;
  return drawn;
}

Plotted plotted(const Made& made) {
  Plotted what{.made_by = made.did.step, .material = made.material};
  if (made.timeline) what.timelines = {&*made.timeline, 1};
  if (made.table) what.table = &*made.table;
  return what;
}

std::vector<std::string> plot_file(const Plotted& what, const Figure& look,
                                   const std::string& path) {
  check_figure_path(path);
  Output output(path);
  auto notes = plot(what, look, output, path);
  output.commit();
  return notes;
}

}  // namespace

void check_figure_path(const std::string& path) { static_cast<void>(detail::format_of(path)); }

std::vector<std::string> plot(const Plotted& what, const Figure& look, Output& output,
                              const std::string& path) {
  check_figure_path(path);
  const detail::DrawnPicture drawn = draw(what, look);
  detail::write_picture(drawn.drawing, look.size, look.scale, output, path);
  return drawn.notes;
}

TerminalPicture plot_text(const Plotted& what, const Figure& given, const TerminalLook& terminal) {
  // A letter is two dots wide and four high; lines are thinned to what those can show.
  constexpr int least_columns = 20, least_rows = 8, most = 1'000;
  const int columns = std::clamp(terminal.columns, least_columns, most);
  const int rows = std::clamp(terminal.rows, least_rows, most);
  Figure look = given;
  look.size = {2 * columns, 4 * rows};
  detail::DrawnPicture drawn = draw(what, look);
  return {detail::terminal_text(drawn.drawing, columns, rows, terminal.color),
          std::move(drawn.notes)};
}

TerminalPicture plot_text(const Made& made, const Figure& look, const TerminalLook& terminal) {
  return plot_text(plotted(made), look, terminal);
}

TerminalPicture plot_text(const Timeline& timeline, const Figure& look,
                          const TerminalLook& terminal) {
  return plot_text(Plotted{.timelines = {&timeline, 1}}, look, terminal);
}

std::vector<std::string> plot(const Made& made, const Figure& look, const std::string& path) {
  return plot_file(plotted(made), look, path);
}

std::vector<std::string> plot(std::span<const Timeline> timelines, const Figure& look,
                              const std::string& path) {
  return plot_file({.timelines = timelines}, look, path);
}

std::vector<std::string> plot(const Timeline& timeline, const Figure& look,
                              const std::string& path) {
  return plot(std::span<const Timeline>(&timeline, 1), look, path);
}

}  // namespace zerobeat
