/// Plots: timelines as pictures, drawn by gnuplot through a pipe.

#pragma once

#include <span>
#include <string>
#include <zerobeat/io/output.hpp>
#include <zerobeat/plan/figure.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {

/// Draws `timelines` over one time axis, in the zone of the first, and `over` laid over them; the
/// columns are those of `look`. A path that ends in .svg gets SVG, one in .png PNG.
///
/// Lines stay open where readings are missing, and where a step is longer than three times both
/// the typical step and the mean one. Strands with more readings than there are pixels are drawn
/// by the first, least, greatest and last of each pixel column. A change of the clocks within the
/// picture is marked. The picture is not committed.
/// Throws Error of kind usage when a named column is in none of the timelines or not numeric, or
/// the ending is neither; of kind output when gnuplot is not there or fails.
void plot(std::span<const Timeline> timelines, const Timeline* over, const Figure& look,
          Output& output, const std::string& path);

}  // namespace zerobeat
