/// Steps as values of one type: what a plan holds and a tool runs.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/align/join.hpp>
#include <zerobeat/align/reshape.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/regular/thin.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

namespace zerobeat {

using Step = std::variant<Settle, Resample, Thin, Reshape, Join, Fill, Clip, Roll, Lag>;

/// The names of all steps.
std::vector<std::string> step_names();
/// A step of that name with its defaults. Throws Error naming the nearest when there is none.
Step make_step(std::string_view name);
std::string_view step_name(const Step& step);
/// Its options, bound to `step`.
std::vector<BoundOption> bind_options(Step& step);
/// "fill how=linear max-gap=1h".
std::string to_text(const Step& step);
Reach reach(const Step& step);

}  // namespace zerobeat
