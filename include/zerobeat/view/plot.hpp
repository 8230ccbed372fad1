/// Plots: timelines as pictures, drawn by gnuplot through a pipe.
///
/// Threads may call these at the same time, each with a file of its own.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/view/figure.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Throws Error of kind usage when a figure's file ends in neither .png nor .svg.
void check_figure_path(const std::string& path);

/// Draws `timelines` over one time axis, in the zone of the first, and `over` laid over them; the
/// columns are those of `look`. A path that ends in .svg gets SVG, one in .png PNG.
///
/// Lines stay open where readings are missing, and where a step is longer than three times both
/// the typical step and the mean one. Strands with more readings than there are pixels are drawn
/// by the first, least, greatest and last of each pixel column, which looks the same; gaps narrower
/// than a pixel are not seen there. A change of the clocks within the picture is marked, and so
/// are the rows that a boolean column `partial` names. With look.by the first timeline's profile is
/// drawn: bars by one part, a heat map by two, a panel for each strand and take; with look.describe
/// a histogram and a normal quantile plot of each strand. What look chooses (between, last, keys)
/// is selected before. The picture is not committed. Returns what could not be drawn, in words.
/// Throws Error of kind usage when a named column is in none of the timelines or not numeric, or
/// the ending is neither; of kind output when gnuplot is not there or fails.
std::vector<std::string> plot(std::span<const Timeline> timelines, const Timeline* over,
                              const Figure& look, Output& output, const std::string& path);

/// The same of one timeline, or of several, into a file, whole or not at all:
/// plot(timeline, {.y = {"level_m"}}, "x.png").
std::vector<std::string> plot(const Timeline& timeline, const Figure& look,
                              const std::string& path);
std::vector<std::string> plot(std::span<const Timeline> timelines, const Figure& look,
                              const std::string& path);

}  // namespace v1
}  // namespace zerobeat
