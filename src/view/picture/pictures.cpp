#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>

#include "view/picture/kinds.hpp"
#include "view/picture/lines.hpp"
#include "view/picture/names.hpp"
#include "view/picture/picture.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The table of pictures: the step, the options of plot that go with it, and what draws it. What no
/// line names is drawn as lines, the last one.
constexpr PictureKind kinds[] = {
    {"profile", "mean log y-range", draw_profile},
    {"describe", "", draw_describe},
    {"gaps", "x-range", draw_gaps, true},
    {"spells", "x-range", draw_spells},
    {"fill", "", draw_trial},
    {"tune", "", draw_tune},
    {"regress", "", draw_regress},
    {"decompose", "", draw_decompose},
    {"correlate", "", draw_correlate},
    {"peaks", "", draw_peaks},
    {"crossings", "", draw_crossings},
    {"forecast", "", draw_forecast},
    {"",
     "y y2 over bars panels scatter line points steps log log-x x-range y-range y2-range gaps "
     "mean marks band spells label-last between last keys",
     draw_lines},
};

constexpr std::string_view looks_of_all = "title subtitle names size scale";

/// Options of a picture of lines that say nothing in one of points of two columns.
constexpr std::string_view not_with_scatter =
    "y y2 over bars panels points steps y2-range gaps mean marks band spells label-last";

bool has_word(std::string_view words, std::string_view word) {
  for (std::size_t at = words.find(word); at != std::string_view::npos;
       at = words.find(word, at + 1)) {
    const bool begins = at == 0 || words[at - 1] == ' ';
    const std::size_t end = at + word.size();
    if (begins && (end == words.size() || words[end] == ' ')) return true;
  }
  return false;
}

std::string told(std::string_view words) {
  std::string out;
  while (!words.empty()) {
    const std::size_t end = words.find(' ');
    out += (out.empty() ? "‹" : ", ‹") + with_underscores(std::string(words.substr(0, end))) + "›";
    words.remove_prefix(end == std::string_view::npos ? words.size() : end + 1);
  }
  return out;
}

}  // namespace

const PictureKind& picture_of(std::string_view made_by, bool has_material) {
  if (has_material) {
    const auto* kind = std::ranges::find(kinds, made_by, &PictureKind::made_by);
    if (kind != std::end(kinds)) return *kind;
  }
  return *std::prev(std::end(kinds));
}

void check_looks(const PictureKind& kind, const Figure& look) {
  Figure given = look, plain;
  const auto options = bind_options(given), defaults = bind_options(plain);
  for (std::size_t i = 0; i < options.size(); ++i) {
    const std::string& name = options[i].name;
    if (options[i].get() == defaults[i].get() || has_word(looks_of_all, name)) continue;
    if (!has_word(kind.looks, name)) {
      const std::string all =
          std::string(kind.looks) + (kind.looks.empty() ? "" : " ") + std::string(looks_of_all);
      const bool chooses = name == "between" || name == "last" || name == "keys" || name == "y";
      fail_usage(
          "‹{}› does not go with the picture of {}; {} do{}", with_underscores(name), kind.made_by,
          told(all),
          chooses ? ". Rows are chosen by select before, columns by the step's own options" : "");
    }
    if (!look.scatter.empty() && has_word(not_with_scatter, name)) {
      fail_usage("‹{}› does not go with ‹scatter›, which draws points of two columns",
                 with_underscores(name));
    }
  }
  if (look.line && look.scatter.empty()) fail_usage("‹line› goes with ‹scatter› X,Y");
  if (look.log && look.y_range && look.y_range->low <= 0 && !std::isinf(look.y_range->low)) {
    fail_usage("‹y_range› {}: a logarithmic axis begins above zero", to_text(*look.y_range));
  }
  constexpr int most_scale = 8;
  if (look.scale < 1 || look.scale > most_scale) {
    fail_usage("‹scale› {}: a pixel is drawn as 1 to {}", look.scale, most_scale);
  }
}

std::string shown_name(const Figure& look, const std::string& column) {
  const auto at = std::ranges::find(look.names, column, &ShownName::column);
  return at == look.names.end() ? column : at->name;
}

std::string axis_name(const Figure& look, const std::string& column) {
  const auto at = std::ranges::find(look.names, column, &ShownName::column);
  return at == look.names.end() ? name_with_unit(column) : at->name;
}

std::vector<PanelRow> rows_of(std::vector<Panel> panels) {
  std::vector<PanelRow> rows;
  const std::size_t across = panels.size() > 3 ? 2 : 1;
  for (std::size_t i = 0; i < panels.size(); ++i) {
    if (i % across == 0) rows.emplace_back();
    rows.back().panels.push_back(std::move(panels[i]));
  }
  return rows;
}

DrawnPicture nothing_to_draw(const std::string& why) {
  const std::string text = "there is nothing to draw: " + why;
  return {empty_drawing(text), {text}};
}

}  // namespace zerobeat::detail
