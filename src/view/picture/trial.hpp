/// The picture of a trial: what ways to fill put in the place of readings whose truth is known.

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
namespace detail {

/// Tries `look.trial` on the columns of one timeline, and draws a panel for each: the readings,
/// those that were hidden, and each way's filling, over the block of hidden readings in which the
/// best way is furthest off, and as much again on both sides. Returns the notes of the trial.
std::vector<std::string> draw_trial(std::span<const Timeline> timelines, const Figure& look,
                                    Output& output, const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
