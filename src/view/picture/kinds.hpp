/// The pictures of what steps make, each in a file of its own.

#pragma once

#include <zerobeat/base/export.hpp>

#include "view/picture/picture.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Of describe: for each strand and column two panels, its histogram (bins by Freedman and Diaconis
/// 1981) with the normal curve of its mean and standard deviation, and its sorted readings against
/// the quantiles of the normal distribution, the line that they would lie on beside them.
DrawnPicture draw_describe(const PictureTask& task);

/// Of gaps: a strip for each strand and column, pale where readings stand, dark where they are
/// missing for half a pixel's time or more, between where some are; of gaps by parts of the
/// calendar what draw_profile() makes of their shares.
DrawnPicture draw_gaps(const PictureTask& task);

/// Of profile: bars by one part of the calendar, a heat map by two; a panel for each strand and
/// take, those of one take on one scale.
DrawnPicture draw_profile(const PictureTask& task);

/// Of spells: bars from start to end, a lane for each strand.
DrawnPicture draw_spells(const PictureTask& task);

/// Of fill when it tries: a panel for each column, with the readings, those that were hidden, and
/// what each way put there, over the block of hidden readings in which the best way is furthest
/// off, and as much again on both sides.
DrawnPicture draw_trial(const PictureTask& task);

/// Of peaks and crossings: a panel for each column and strand in which some were found, its line
/// with marks where they are; of crossings with what it passes.
DrawnPicture draw_peaks(const PictureTask& task);
DrawnPicture draw_crossings(const PictureTask& task);

/// Of correlate: bars by lag with the bounds of noise, and beside them the partial ones.
DrawnPicture draw_correlate(const PictureTask& task);

/// Of decompose: readings, trend, season and rest over one time axis, a line for each strand.
DrawnPicture draw_decompose(const PictureTask& task);

/// Of regress: residuals against fitted values and against time.
DrawnPicture draw_regress(const PictureTask& task);

/// Of forecast: the past's last rows, the rows ahead and their bands; a panel for each column and
/// strand.
DrawnPicture draw_forecast(const PictureTask& task);

/// Of tune: the match against the offset, of each strand a line with its peak marked and the width
/// of the one that is furthest off shaded; below, a lively stretch of that strand on the reference,
/// as it was and set right.
DrawnPicture draw_tune(const PictureTask& task);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
