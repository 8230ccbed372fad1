/// Plots: what steps made as pictures, drawn by gnuplot through a pipe.
///
/// Threads may call these at the same time, each with a file of its own.

#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/view/figure.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Throws Error of kind usage when a figure's file ends in none of .png, .svg and .pdf.
void check_figure_path(const std::string& path);

/// What is drawn: timelines over one axis, or a step's result with what it handed on. What it
/// points to must outlive it.
struct Plotted {
  std::span<const Timeline> timelines{};
  const Timeline* over = nullptr;     ///< laid over them
  const Table* table = nullptr;       ///< the result, when it is one
  std::string_view made_by{};         ///< the step that made it; empty: none, or several
  MaterialMaker material{};           ///< that it handed on
  std::vector<MaterialMaker> more{};  ///< of further results of that step (gaps), below the first
};

/// Draws the picture of what a step made: of profile bars by one part of the calendar or a heat map
/// by two, of describe histograms and quantiles, of gaps strips, of spells bars from start to end,
/// of a trial of fill what each way put, of tune how two clocks compare; of any other timeline
/// lines over time, or what `look` asks. Which options of the look go with it the picture says: one
/// that does not is refused by name.
///
/// Lines stay open where readings are missing, and where a step is longer than three times both
/// the typical step and the mean one. Strands with more readings than there are pixels are drawn
/// by the first, least, greatest and last of each pixel column, which looks the same; gaps narrower
/// than a pixel are not seen there. A change of the clocks within the picture is marked, and so
/// are the rows that a boolean column `partial` names, readings that a column A_clipped or A_filled
/// says were changed, and the band from A_low to A_high.
///
/// The picture is not committed. Returns what could not be drawn, in words; when that is all, the
/// picture is an empty frame that says so. Throws Error of kind usage when a named column is in
/// none of the timelines or not numeric, or the ending is no picture's; of kind output when gnuplot
/// is not there or fails.
std::vector<std::string> plot(const Plotted& what, const Figure& look, Output& output,
                              const std::string& path);

/// What a terminal shows.
struct TerminalLook {
  int columns = 100;
  int rows = 30;
  bool color = false;  ///< in the 256 colors of terminals
};

/// A picture in letters: lines in braille dots, a line of text for each row.
struct TerminalPicture {
  std::string text{};
  std::vector<std::string> notes{};  ///< what could not be drawn
};
[[nodiscard]] TerminalPicture plot_text(const Plotted& what, const Figure& look,
                                        const TerminalLook& terminal);
[[nodiscard]] TerminalPicture plot_text(const Made& made, const Figure& look,
                                        const TerminalLook& terminal = {});
[[nodiscard]] TerminalPicture plot_text(const Timeline& timeline, const Figure& look,
                                        const TerminalLook& terminal = {});

/// The same into a file, whole or not at all: plot(profile(tide, {.by = by}), {}, "hours.png").
std::vector<std::string> plot(const Made& made, const Figure& look, const std::string& path);

/// Of one timeline, or of several, lines: plot(timeline, {.y = {"level_m"}}, "x.png").
std::vector<std::string> plot(const Timeline& timeline, const Figure& look,
                              const std::string& path);
std::vector<std::string> plot(std::span<const Timeline> timelines, const Figure& look,
                              const std::string& path);

}  // namespace v1
}  // namespace zerobeat
