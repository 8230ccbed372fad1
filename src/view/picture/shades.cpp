#include "view/picture/shades.hpp"

#include <algorithm>
#include <zerobeat/clean/spells.hpp>

namespace zerobeat::inline v1::detail {

namespace {

bool has_all(const Timeline& timeline, const std::vector<std::string>& names) {
  return std::ranges::all_of(names, [&](const std::string& name) {
    return timeline.values().find(name) || (timeline.has_key() && name == timeline.key_name());
  });
}

}  // namespace

Shades shades_of(const std::vector<const Timeline*>& timelines, const Expression& condition,
                 const Canvas& canvas) {
  const auto names = condition.columns();
  const bool any = std::ranges::any_of(
      timelines, [&](const Timeline* timeline) { return has_all(*timeline, names); });
  Shades shades;
  for (const Timeline* timeline : timelines) {
    // Where none has them, the first says which is missing.
    if (any && !has_all(*timeline, names)) continue;
    std::vector<Spell> found;
    try {
      found = find_spells(*timeline, {.where = condition});
    } catch (const Error& error) {
      std::string_view what = error.what();
      constexpr std::string_view text = "‹where›: ";
      if (what.starts_with(text)) what.remove_prefix(text.size());
      fail_usage("‹spells›: {}", what);
    }
    std::vector<Stretches> of_strand(timeline->strands().size());
    for (const Spell& spell : found) {
      const Instant from = std::max(spell.from, canvas.first);
      const Instant to = std::min(spell.to, canvas.last);
      if (from < to) of_strand[spell.strand].emplace_back(canvas.x(from), canvas.x(to));
    }
    for (std::size_t s = 0; s < of_strand.size(); ++s) {
      shades.put(timeline, timeline->strands()[s].begin, std::move(of_strand[s]));
    }
    if (!any) break;
  }
  return shades;
}

Stretches together(const std::vector<Stretches>& all) {
  Stretches sorted;
  for (const Stretches& stretches : all)
    sorted.insert(sorted.end(), stretches.begin(), stretches.end());
  std::ranges::sort(sorted);
  Stretches out;
  for (const auto& [from, until] : sorted) {
    if (!out.empty() && from <= out.back().second) {
      out.back().second = std::max(out.back().second, until);
    } else {
      out.emplace_back(from, until);
    }
  }
  return out;
}

}  // namespace zerobeat::detail
