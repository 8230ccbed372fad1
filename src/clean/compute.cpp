#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/compute.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "expression/program.hpp"

namespace zerobeat::inline v1 {

Timeline compute(const Timeline& timeline, const Compute& options) {
  StepTimer timer(options, timeline);
  if (options.set.empty()) {
    fail_usage("compute takes ‹set› NAME=EXPRESSION, like ‹set› level_ft=level_m*3.2808");
  }
  Timeline::Parts parts = timeline.parts();
  for (const Assignment& assignment : options.set) {
    if (assignment.name.empty()) {
      fail_usage("‹set› ={}: the column has no name; like ‹set› level_ft=level_m*3.2808",
                 shown(assignment.value.text()));
    }
    if (assignment.value.empty()) {
      fail_usage("‹set› {}: there is no expression; like ‹set› level_ft=level_m*3.2808",
                 shown(assignment.name));
    }
    if (assignment.name == timeline.time_name() || timeline.is_key_name(assignment.name)) {
      fail_usage("‹set› {}: that is the name of the {}; give the column another",
                 shown(assignment.name), assignment.name == timeline.time_name() ? "time" : "key");
    }
    Evaluated made;
    try {
      made = detail::evaluate_over(assignment.value, timeline, parts.values);
    } catch (const Error& error) {
      fail_usage("‹set› {}: {}", shown(assignment.name), error.what());
    }
    if (const auto place = parts.values.find(assignment.name)) {
      parts.values.replace(*place, std::move(made.column));
    } else {
      parts.values.add(assignment.name, std::move(made.column));
    }
    if (made.not_finite > 0) {
      timer.note(fmt::format("{}: {} results are not finite, and missing", shown(assignment.name),
                             grouped(made.not_finite)));
    }
  }
  if (options.only) {
    Table kept(timeline.rows());
    for (const Assignment& assignment : options.set) {
      if (!kept.find(assignment.name))
        kept.add(assignment.name, parts.values.column(assignment.name));
    }
    parts.values = std::move(kept);
  }
  return timer.finish(std::move(parts));
}

std::optional<std::vector<std::string>> columns_needed(const Compute& options, std::string_view) {
  if (!options.only) return std::nullopt;
  std::vector<std::string> needed, made;
  for (const Assignment& assignment : options.set) {
    for (auto& name : assignment.value.columns()) {
      if (std::ranges::find(made, name) == made.end()) needed.push_back(std::move(name));
    }
    made.push_back(assignment.name);
  }
  return needed;
}

Reach reach(const Compute& options) {
  Reach all;
  for (const Assignment& assignment : options.set) {
    const Reach one = assignment.value.reach();
    if (one.back != ReachSide::none()) all.back = one.back;
    if (one.ahead != ReachSide::none()) all.ahead = one.ahead;
  }
  return all;
}

}  // namespace zerobeat
