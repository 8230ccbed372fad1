#include "zerobeat/align/append.hpp"

#include <algorithm>
#include <map>
#include <numeric>
#include <optional>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1 {

namespace {

void check_alike(const Timeline& timeline, const Timeline& rows) {
  if (timeline.key_name() != rows.key_name()) {
    fail_usage("rows with the key \"{}\" can't follow those with the key \"{}\"",
               key_text(rows.key_name()), key_text(timeline.key_name()));
  }
  if (timeline.axis() != rows.axis()) {
    fail_usage("times that are {} can't follow those that are {}", to_text(rows.axis()),
               to_text(timeline.axis()));
  }
  for (const auto& name : rows.values().names()) {
    if (!timeline.values().find(name)) {
      fail_usage("there is no column \"{}\" that could go on{}", shown(name),
                 did_you_mean(name, timeline.values().names()));
    }
  }
  for (const auto& name : timeline.values().names()) {
    if (!rows.values().find(name)) {
      fail_usage("the rows that follow have no column \"{}\"{}", shown(name),
                 did_you_mean(name, rows.values().names()));
    }
  }
}

/// Whether the rows come after all of a timeline's, of one strand each.
bool goes_on(const Timeline& timeline, const Timeline& rows) {
  if (timeline.strands().size() != 1 || rows.strands().size() != 1) return false;
  if (timeline.strands()[0].key != rows.strands()[0].key) return false;
  return timeline.rows() == 0 || rows.times().front() >= timeline.times().back();
}

/// Rows of both, numbered as if those of the second followed the first's, in a timeline's order.
std::vector<std::int64_t> merged_order(const Timeline& timeline, const Timeline& rows,
                                       std::vector<Strand>& strands) {
  std::map<std::optional<std::string>, std::size_t> place;
  std::vector<std::pair<const Strand*, const Strand*>> parts;
  for (const Strand& strand : timeline.strands()) {
    place[strand.key] = parts.size();
    parts.emplace_back(&strand, nullptr);
  }
  for (const Strand& strand : rows.strands()) {
    const auto [at, is_new] = place.emplace(strand.key, parts.size());
    if (is_new) parts.emplace_back(nullptr, nullptr);
    parts[at->second].second = &strand;
  }
  std::vector<std::int64_t> order;
  order.reserve(timeline.rows() + rows.rows());
  const auto first = timeline.times();
  const auto second = rows.times();
  for (const auto& [before, after] : parts) {
    const Strand& strand = before != nullptr ? *before : *after;
    Strand merged{strand.key, order.size(), 0};
    std::size_t i = before == nullptr ? 0 : before->begin, j = after == nullptr ? 0 : after->begin;
    const std::size_t i_end = before == nullptr ? 0 : before->end;
    const std::size_t j_end = after == nullptr ? 0 : after->end;
    while (i < i_end || j < j_end) {
      const bool take_first = j == j_end || (i < i_end && first[i] <= second[j]);
      order.push_back(static_cast<std::int64_t>(take_first ? i++ : timeline.rows() + j++));
    }
    merged.end = order.size();
    strands.push_back(std::move(merged));
  }
  return order;
}

void add_to_account(Account& account, const Timeline& rows, std::int64_t rows_in) {
  const auto& steps = account.steps;
  const bool again = !steps.empty() && steps.back().step == "append";
  const auto added = static_cast<std::int64_t>(rows.rows());
  for (const auto& source : rows.account().sources) {
    if (std::ranges::find(account.sources, source) == account.sources.end()) {
      account.sources.push_back(source);
    }
  }
  if (!again) {
    StepAccount step;
    step.step = "append";
    step.rows_in = rows_in;
    account.steps.push_back(std::move(step));
  }
  account.steps.back().rows_in += added;
  account.steps.back().rows_out = rows_in + added;
}

}  // namespace

Timeline append(const Timeline& timeline, const Timeline& rows) {
  check_alike(timeline, rows);
  if (rows.rows() == 0) return timeline;
  Timeline::Parts parts = timeline.parts();
  if (timeline.rows() == 0) {
    parts = rows.parts();
    parts.name = timeline.name();
    parts.account = timeline.account();
  } else {
    Table values(timeline.rows() + rows.rows());
    for (std::size_t i = 0; i < timeline.values().names().size(); ++i) {
      const auto& name = timeline.values().names()[i];
      values.add(name, timeline.values().columns()[i].appended(rows.values().column(name)));
    }
    parts.times = timeline.time_column().appended(rows.time_column());
    parts.values = std::move(values);
    if (goes_on(timeline, rows)) {
      parts.strands[0].end = parts.times.size();
    } else {
      parts.strands.clear();
      const auto order = merged_order(timeline, rows, parts.strands);
      parts.times = parts.times.gather(order);
      parts.values = parts.values.gather(order);
    }
  }
  add_to_account(parts.account, rows, static_cast<std::int64_t>(timeline.rows()));
  return Timeline(std::move(parts));
}

}  // namespace zerobeat
