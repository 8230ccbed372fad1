#include "align/sides.hpp"

#include <map>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat::inline v1::detail {

void check_axes(const Timeline& left, const Timeline& right) {
  const Axis &a = left.axis(), &b = right.axis();
  if (a.is_instants() == b.is_instants() && a.is_count() == b.is_count()) return;
  fail_usage("the times of {} are {} and those of {} {}; they have no common axis", left.name(),
             to_text(a), right.name(), to_text(b));
}

std::string time_text(Instant t, const Axis& axis) {
  if (axis.is_instants()) return to_text(t, 0);
  std::string text;
  append_elapsed(text, t, *axis.elapsed);
  return text;
}

Timeline renamed(const Timeline& timeline, const std::vector<std::string>& names) {
  Timeline::Parts parts = timeline.parts();
  parts.values = Table(timeline.rows());
  for (std::size_t i = 0; i < names.size(); ++i) {
    parts.values.add(names[i], timeline.values().columns()[i]);
  }
  return Timeline(std::move(parts));
}

std::vector<std::vector<std::string>> settle_names(std::span<const Timeline* const> sides) {
  std::map<std::string, int> uses;
  const Timeline& left = *sides[0];
  ++uses[left.time_name()];
  for (const auto& name : left.key_names()) ++uses[name];
  for (const Timeline* side : sides) {
    for (const auto& name : side->values().names()) ++uses[name];
  }
  std::vector<std::vector<std::string>> names;
  std::map<std::string, int> results;
  for (const Timeline* side : sides) {
    auto& own = names.emplace_back();
    for (const auto& name : side->values().names()) {
      own.push_back(uses[name] > 1 ? name + "_" + side->name() : name);
      if (++results[own.back()] > 1 || own.back() == left.time_name() ||
          left.is_key_name(own.back())) {
        fail_usage("two columns would be named \"{}\"; rename one before joining", own.back());
      }
    }
  }
  return names;
}

}  // namespace zerobeat::detail
