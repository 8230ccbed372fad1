#include <algorithm>
#include <zerobeat/align/align.hpp>
#include <zerobeat/align/append.hpp>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/align/join.hpp>
#include <zerobeat/align/resample_several.hpp>
#include <zerobeat/align/reshape.hpp>
#include <zerobeat/align/shift.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/compute.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/clean/spells.hpp>
#include <zerobeat/model/correlate.hpp>
#include <zerobeat/model/crossings.hpp>
#include <zerobeat/model/decompose.hpp>
#include <zerobeat/model/forecast.hpp>
#include <zerobeat/model/peaks.hpp>
#include <zerobeat/model/regress.hpp>
#include <zerobeat/model/test.hpp>
#include <zerobeat/plan/step.hpp>
#include <zerobeat/regular/describe.hpp>
#include <zerobeat/regular/expect.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/thin.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

namespace zerobeat::inline v1 {

std::span<const StepKind> standard_steps() {
  static constexpr StepKind steps[] = {
      step_kind<Settle>,  step_kind<Select>,    step_kind<Compute>,   step_kind<Describe>,
      step_kind<Gaps>,    step_kind<Spells>,    step_kind<Resample>,  step_kind<Profile>,
      step_kind<Thin>,    step_kind<Reshape>,   step_kind<Join>,      step_kind<Align>,
      step_kind<Append>,  step_kind<Expect>,    step_kind<Shift>,     step_kind<Tune>,
      step_kind<Fill>,    step_kind<Clip>,      step_kind<Roll>,      step_kind<Lag>,
      step_kind<Regress>, step_kind<Decompose>, step_kind<Correlate>, step_kind<Test>,
      step_kind<Peaks>,   step_kind<Crossings>, step_kind<Forecast>,
  };
  return steps;
}

Step make_step(std::string_view name, std::span<const StepKind> steps) {
  const auto kind = std::ranges::find(steps, name, &StepKind::name);
  if (kind != steps.end()) return kind->make();
  std::vector<std::string> names;
  for (const StepKind& known : steps) names.emplace_back(known.name);
  fail_usage("\"{}\" is not a step{}", shown(name), did_you_mean(name, names));
}

std::string to_text(const Step& step) {
  const std::string options = step.options_text();
  return std::string(step.name()) + (options.empty() ? "" : " " + options);
}

}  // namespace zerobeat
