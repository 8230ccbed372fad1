#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "view/picture/kinds.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_correlation_rows = 5;

/// Rows of the table of one strand and column.
struct Lags {
  std::string title{};
  std::size_t begin = 0, end = 0;
};

std::string cell_text(const Column& column, std::size_t row) {
  if (!column.valid(row)) return {};
  if (column.type() == Column::Type::text) return column.text(row);
  const Column numbers = column.as_numbers();
  return fmt::format("{}", numbers.numbers()[row]);
}

std::vector<Lags> lags_of(const Table& table, const Figure& look) {
  std::vector<Lags> all;
  const std::size_t first = table.place("column");
  for (std::size_t row = 0; row < table.rows(); ++row) {
    std::string title = shown_name(look, cell_text(table.columns()[first], row));
    if (table.find("with"))
      title += " with " + shown_name(look, cell_text(table.column("with"), row));
    for (std::size_t k = 0; k < first; ++k) {
      title += ", " + key_text(cell_text(table.columns()[k], row));
    }
    if (all.empty() || all.back().title != title) all.push_back({title, row, row});
    all.back().end = row + 1;
  }
  return all;
}

/// Bars of one column of the table, and the bounds within which noise lies.
Panel bars_of(const Table& table, const Lags& lags, const char* column, const char* name) {
  const auto lag = table.column("lag").integers();
  const Column values = table.column(column), bounds = table.column("bound");
  Panel panel;
  panel.title = lags.title;
  panel.x.name = "lag (rows)";
  panel.y.name = name;
  panel.x.low = static_cast<double>(lag[lags.begin]) - 0.8;
  panel.x.high = static_cast<double>(lag[lags.end - 1]) + 0.8;
  double low = 0, high = 0;
  BoxShape bars{.ink = ink(0)};
  for (std::size_t row = lags.begin; row < lags.end; ++row) {
    if (!values.valid(row)) continue;
    const double value = values.numbers()[row], at = static_cast<double>(lag[row]);
    bars.boxes.push_back({at - 0.3, at + 0.3, std::min(0.0, value), std::max(0.0, value)});
    low = std::min(low, value);
    high = std::max(high, value);
  }
  panel.shapes.push_back({std::move(bars), name, false, false});
  if (bounds.valid(lags.begin)) {
    const double bound = bounds.numbers()[lags.begin];
    for (const double at : {bound, -bound}) {
      panel.shapes.push_back({RuleShape{.at = at, .ink = ink(1)}, "bound of noise", false, at > 0});
    }
    low = std::min(low, -bound);
    high = std::max(high, bound);
  }
  panel.shapes.push_back(
      {RuleShape{.at = 0, .ink = text_ink, .dash = Dash::solid, .width = 1}, "", false, false});
  panel.y.low = std::max(-1.05, low - 0.05 * (high - low));
  panel.y.high = std::min(1.05, high + 0.05 * (high - low));
  return panel;
}

}  // namespace

DrawnPicture draw_correlate(const PictureTask& task) {
  const Table& table = *task.table;
  auto all = lags_of(table, task.look);
  if (all.empty()) return nothing_to_draw("there are no lags");
  DrawnPicture out;
  if (all.size() > most_correlation_rows) {
    out.notes.push_back(fmt::format("{} columns of strands more have no room in it",
                                    all.size() - most_correlation_rows));
    all.resize(most_correlation_rows);
  }
  for (const Lags& lags : all) {
    PanelRow row;
    row.panels.push_back(bars_of(table, lags, "correlation", "correlation"));
    if (table.find("partial")) row.panels.push_back(bars_of(table, lags, "partial", "partial"));
    out.drawing.rows.push_back(std::move(row));
  }
  out.drawing.name = "Correlations by lag";
  return out;
}

}  // namespace zerobeat::detail
