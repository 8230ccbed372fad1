#include <fmt/format.h>

#include <zerobeat/base/text.hpp>
#include <zerobeat/table/axis.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat::inline v1 {

std::string to_text(const Axis& axis) {
  return axis.elapsed ? "elapsed-" + to_text(*axis.elapsed) : "instants";
}

std::string since_text(const Axis& axis) {
  if (!axis.elapsed || axis.since.empty()) return {};
  static constexpr std::string_view words[] = {"milliseconds", "seconds", "minutes",
                                               "hours",        "days",    "steps"};
  return fmt::format("{} since {}", words[static_cast<std::size_t>(*axis.elapsed)], axis.since);
}

void check_on_axis(const Axis& axis, const Period& period, std::string_view option) {
  if (axis.is_instants()) return;
  if (axis.is_count()) {
    fail_usage("{} {}: the times are a count, which has no periods; give a number of records",
               option, to_text(period));
  }
  if (!period.is_fixed()) {
    fail_usage("{} {}: the times are {}, which has no calendar; give a fixed period, like 24h",
               option, to_text(period), to_text(axis));
  }
}

void check_on_axis(const Axis& axis, const Extent& extent, std::string_view option) {
  if (!extent.in_rows()) check_on_axis(axis, extent.period, option);
}

void need_instants(const Axis& axis, std::string_view option) {
  if (axis.is_instants()) return;
  fail_usage("{}: the times are {}, which has no clock, zone or calendar", option, to_text(axis));
}

Instant moment_on(const Axis& axis, const Zone& zone, const std::string& text,
                  std::string_view option) {
  if (axis.is_instants()) return Moment(text).in(zone);
  const auto read = read_elapsed(text, *axis.elapsed);
  if (!read) {
    fail_usage("{}: \"{}\" is not a number; the times here are {}", option, shown(text),
               to_text(axis));
  }
  return *read;
}

}  // namespace zerobeat
