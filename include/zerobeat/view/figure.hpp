/// Figures: what a picture of timelines shows.
///
/// Threads may call these at the same time, each with a file of its own.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/base/bounds.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/take/take.hpp>

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

struct Figure {
  std::vector<std::string> y{};      ///< columns on the left axis; empty: every numeric one
  std::vector<std::string> y2{};     ///< columns on the right axis
  std::string over{};                ///< a second file (in a plan: series) laid over the others
  bool bars = false;                 ///< bars, each as wide as its bucket, instead of lines
  bool panels = false;               ///< a panel for each strand, all on one scale
  bool log = false;                  ///< the left axis is logarithmic
  bool gaps = false;                 ///< shade what no line covers
  bool mean = false;                 ///< a dashed line at each column's mean
  bool marks = false;                ///< mark what A_clipped and A_filled name
  bool band = false;                 ///< the band from A_low to A_high
  std::optional<Bounds> y_range{};   ///< of the left axis
  std::optional<Between> between{};  ///< a range of time; see Select
  std::optional<Period> last{};      ///< so long up to the last record
  std::vector<std::string> keys{};   ///< only these strands
  Expression spells{};               ///< shade when this condition holds
  std::string describe{};            ///< instead: what a column's readings are like
  bool missing = false;              ///< instead: what is there and what is not
  Tune tune{};                       ///< instead: how two clocks compare, by its column `on`
  Fill trial{};                      ///< instead: its ways to fill, tried on hidden readings
  std::vector<Part> by{};            ///< instead: a profile; of one part bars, of two a heat map
  std::vector<Take> take{};          ///< of the profile; empty: the mean of the first column
  Size size{};

  friend bool operator==(const Figure&, const Figure&) = default;
};

template <typename Visitor, OptionsOf<Figure> O>
void fields(Visitor&& visit, O& o) {
  visit("y", o.y, "COLUMNS", "columns on the left axis; unset: every numeric one");
  visit("y2", o.y2, "COLUMNS", "columns on the right axis");
  visit("over", o.over, "FILE", "a second file laid over the others (in a plan: a series)");
  visit("bars", o.bars, "", "bars, each as wide as its bucket, instead of lines");
  visit("panels", o.panels, "", "a panel for each strand, all on one scale");
  visit("log", o.log, "", "make the left axis logarithmic");
  visit("gaps", o.gaps, "", "shade the gaps: what no line covers");
  visit("mean", o.mean, "", "a dashed line at the mean of each column, partial buckets left out");
  visit("marks", o.marks, "",
        "mark readings that a column A_clipped or A_filled (clip ‹flag›, fill ‹flag›) says were "
        "changed; they do not stretch the axis, and those beyond it stand at its edge with their "
        "values");
  visit("band", o.band, "", "shade the band from A_low to A_high (clip ‹band›)");
  visit("y-range", o.y_range, "LO,HI", "the left axis' range; either may be left out");
  visit("between", o.between, "FROM,TO",
        "only this range of time; either may be left out: 2025-10,");
  visit("last", o.last, "PERIOD", "only so long up to the last record");
  visit("keys", o.keys, "A,B", "only these keys");
  visit("spells", o.spells, "CONDITION", "shade when it holds, like 'level_m > 4'");
  visit("describe", o.describe, "COLUMN",
        "draw instead its histogram with the normal curve of its mean and deviation, and beside it "
        "its quantiles against the normal ones");
  visit("missing", o.missing, "",
        "draw instead a strip for each strand and column: what is there and what is not");
  visit("tune", o.tune.on, "COLUMN",
        "draw instead how two clocks compare by what both saw: the match against the offset, and "
        "both before and after; of two files, the right one first, or of one with ‹against›");
  visit("with", o.tune.with, "COLUMN", "of ‹tune›: the other's column; unset: of the same name");
  visit("against", o.tune.against, "KEY", "of ‹tune›: the strand whose clock is right");
  visit("within", o.tune.within, "PERIOD", "of ‹tune›: how far a clock may be off, either way");
  visit("drift", o.tune.drift, "", "of ‹tune›: the clock may gain or lose, too");
  visit("try", o.trial.trial, "HOW,HOW",
        "draw instead what each of these ways of fill puts in the place of hidden readings, beside "
        "the truth, where the best of them is furthest off");
  visit("hide", share_field(o.trial.hide), "SHARE",
        "of ‹try›: how many readings to hide; unset: 0.1");
  visit("seed", o.trial.seed, "N", "of ‹try›: which ones; unset: 1");
  visit("by", o.by, "PARTS",
        "draw a profile: bars by one part of the calendar, a heat map by two, like weekday,hour");
  visit("take", o.take, "TAKES", "the profile's statistics; unset: the mean of the first column");
  visit("size", o.size, "WxH", "width and height in pixels");
}

}  // namespace v1
}  // namespace zerobeat
