/// Figures: how a picture looks.
///
/// Threads may call these at the same time, each with a file of its own.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/bounds.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Width and height in pixels.
struct Size {
  int width = 1280;
  int height = 800;

  friend bool operator==(const Size&, const Size&) = default;
};

/// Reads "1280x800".
void from_text(std::string_view text, Size& out);
[[nodiscard]] std::string to_text(const Size& size);

/// What has a panel of its own: nothing, each strand (of several files each file), or each column.
enum class Panels { none, strands, columns };

[[nodiscard]] constexpr auto enum_words(Panels) {
  return std::array<std::string_view, 3>{"false", "true", "columns"};
}

/// On a command line a flag that the word `columns` may follow; in a plan true, or that word.
template <>
inline constexpr bool takes_flags<Panels> = true;

/// What a column is called in a picture.
struct ShownName {
  std::string column{};
  std::string name{};

  friend bool operator==(const ShownName&, const ShownName&) = default;
};

/// Reads "level_m=Water level (m),kg=Landed".
void from_text(std::string_view text, std::vector<ShownName>& out);
[[nodiscard]] std::string to_text(const std::vector<ShownName>& names);

/// Two columns, as those of a band or a scatter.
struct ColumnPair {
  std::string first{}, second{};

  [[nodiscard]] bool empty() const { return first.empty(); }
  friend bool operator==(const ColumnPair&, const ColumnPair&) = default;
};

/// The lower and the upper column of a band: "level_m_low:level_m_high".
struct BandColumns : ColumnPair {};
void from_text(std::string_view text, BandColumns& out);
[[nodiscard]] std::string to_text(const BandColumns& columns);

/// The columns across and upwards: "wind_ms,wave_m".
struct ScatterColumns : ColumnPair {};
template <>
inline constexpr bool takes_lists<ScatterColumns> = true;
void from_text(std::string_view text, ScatterColumns& out);
[[nodiscard]] std::string to_text(const ScatterColumns& columns);

struct Figure {
  std::vector<std::string> y{};      ///< columns on the left axis; empty: every numeric one
  std::vector<std::string> y2{};     ///< columns on the right axis
  std::string over{};                ///< a second file (in a plan: series) laid over the others
  bool bars = false;                 ///< bars, each as wide as its bucket, instead of lines
  Panels panels = Panels::none;      ///< what has a panel of its own; all on one scale
  ScatterColumns scatter{};          ///< points of two columns instead of lines over time
  bool line = false;                 ///< the least-squares line of a scatter
  bool points = false;               ///< a point at each reading
  bool steps = false;                ///< a reading stands until the next one
  bool log = false;                  ///< the left axis is logarithmic
  bool log_x = false;                ///< the lower one is
  std::optional<Between> x_range{};  ///< of the lower axis: wider than the data, or cutting it
  std::optional<Bounds> y_range{};   ///< of the left axis
  std::optional<Bounds> y2_range{};  ///< of the right axis
  bool gaps = false;                 ///< shade what no line covers
  bool mean = false;                 ///< a dashed line at each column's mean
  bool marks = false;                ///< say when nothing names readings that were changed
  BandColumns band{};                ///< shade what lies between two columns
  Expression spells{};               ///< shade when this condition holds
  bool label_last = false;           ///< each line's last value at its end
  std::optional<Between> between{};  ///< only this range of time; see Select
  std::optional<Period> last{};      ///< only so long up to the last record
  std::vector<std::string> keys{};   ///< only these strands
  std::string title{};               ///< above the picture
  std::string subtitle{};            ///< below the title
  std::vector<ShownName> names{};    ///< what columns are called in the picture
  Size size{};
  int scale = 1;  ///< of a PNG: pixels for each of the size

  friend bool operator==(const Figure&, const Figure&) = default;
};

template <typename Visitor, OptionsOf<Figure> O>
void fields(Visitor&& visit, O& o) {
  visit("y", o.y, "COLUMNS", "columns on the left axis; unset: every numeric one");
  visit("y2", o.y2, "COLUMNS", "columns on the right axis");
  visit("over", o.over, "FILE", "a second file laid over the others (in a plan: a series)");
  visit("bars", o.bars, "", "bars, each as wide as its bucket, instead of lines");
  visit("panels", o.panels, "[columns]",
        "a panel for each strand (of several files for each file), or, with the word columns, for "
        "each column; those of the same columns on one scale");
  visit("scatter", o.scatter, "X,Y", "points of two columns instead of lines over time");
  visit("line", o.line, "", "of ‹scatter›: their least-squares line");
  visit("points", o.points, "", "a point at each reading");
  visit("steps", o.steps, "", "a reading stands until the next one");
  visit("log", o.log, "", "make the left axis logarithmic");
  visit("log-x", o.log_x, "", "make the lower axis logarithmic");
  visit("x-range", o.x_range, "FROM,TO",
        "the lower axis' range, wider than the data or cutting it; either may be left out");
  visit("y-range", o.y_range, "LO,HI", "the left axis' range; either may be left out");
  visit("y2-range", o.y2_range, "LO,HI", "the right axis' range; either may be left out");
  visit("gaps", o.gaps, "", "shade the gaps: what no line covers");
  visit("mean", o.mean, "", "a dashed line at the mean of each column, partial buckets left out");
  visit("marks", o.marks, "",
        "readings that a column A_clipped or A_filled says were changed are marked in any case; "
        "this says so when there are none");
  visit("band", o.band, "LOW:HIGH",
        "shade what lies between two columns; unset: from A_low to A_high of a column A");
  visit("spells", o.spells, "CONDITION", "shade when it holds, like 'level_m > 4'");
  visit("label-last", o.label_last, "", "the last value of each line at its end");
  visit("between", o.between, "FROM,TO",
        "only this range of time; either may be left out: 2025-10,");
  visit("last", o.last, "PERIOD", "only so long up to the last record");
  visit("keys", o.keys, "A,B", "only these keys");
  visit("title", o.title, "TEXT", "above the picture");
  visit("subtitle", o.subtitle, "TEXT", "below the title");
  visit("names", o.names, "COLUMN=NAME,…",
        "what columns are called in the picture: 'level_m=Water level (m)'");
  visit("size", o.size, "WxH", "width and height in pixels");
  visit("scale", o.scale, "N", "of a PNG: so many pixels for each of the size, for fine screens");
}

}  // namespace v1
}  // namespace zerobeat
