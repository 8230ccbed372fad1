#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <unordered_map>
#include <zerobeat/base/text.hpp>
#include <zerobeat/judge/stacked.hpp>

#include "base/names.hpp"
#include "judge/strand_times.hpp"

namespace zerobeat::inline v1 {

namespace {

using namespace detail;

/// Which of several series each record is of; the number of series, none when there are too many.
struct Grouping {
  std::vector<std::uint32_t> group;
  std::size_t groups = 0;
};

Grouping by_whole_numbers(const Column& column, std::size_t most) {
  constexpr std::int64_t range = std::int64_t{1} << 20;
  std::vector<std::uint32_t> numbered(range, 0);
  Grouping out;
  for (std::size_t row = 0; row < column.size(); ++row) {
    const std::int64_t value = column.valid(row) ? column.integers()[row] : 0;
    if (value < 0 || value >= range) return {};
    std::uint32_t& number = numbered[static_cast<std::size_t>(value)];
    if (number == 0) number = static_cast<std::uint32_t>(++out.groups);
    if (out.groups > most) return {};
    out.group.push_back(number - 1);
  }
  return out;
}

Grouping by_names(const Column& column, std::size_t most) {
  const auto codes = column.codes();
  Grouping out;
  std::vector<std::uint32_t> numbered(column.dictionary().size(), 0);
  for (std::size_t row = 0; row < codes.size(); ++row) {
    if (!column.valid(row)) return {};  // a key has a name for each record
    std::uint32_t& number = numbered[static_cast<std::size_t>(codes[row])];
    if (number == 0) number = static_cast<std::uint32_t>(++out.groups);
    if (out.groups > most) return {};
    out.group.push_back(number - 1);
  }
  return out;
}

/// Records that repeat the latest time of their group, or come after it.
std::int64_t odd_times(std::span<const Instant> times, const Grouping* by) {
  std::vector<Instant> latest(by == nullptr ? 1 : by->groups, Instant::min());
  std::int64_t odd = 0;
  for (std::size_t row = 0; row < times.size(); ++row) {
    Instant& instant = latest[by == nullptr ? 0 : by->group[row]];
    odd += times[row] <= instant;
    instant = std::max(instant, times[row]);
  }
  return odd;
}

/// The share of the steps that are within a tenth of their group's median one.
double even_share(std::span<const Instant> times, const Grouping* by) {
  std::vector<std::vector<std::int64_t>> steps(by == nullptr ? 1 : by->groups);
  std::vector<Instant> last(steps.size(), Instant::min());
  for (std::size_t row = 0; row < times.size(); ++row) {
    const std::size_t group = by == nullptr ? 0 : by->group[row];
    if (last[group] != Instant::min() && times[row] > last[group]) {
      steps[group].push_back(nanoseconds_between(last[group], times[row]));
    }
    last[group] = times[row];
  }
  std::size_t even = 0, all = 0;
  for (auto& own : steps) {
    if (own.size() < 2) continue;
    const auto middle = own.begin() + static_cast<std::ptrdiff_t>(own.size() / 2);
    std::ranges::nth_element(own, middle);
    const auto typical = static_cast<double>(*middle);
    all += own.size();
    even += static_cast<std::size_t>(std::ranges::count_if(own, [&](std::int64_t step) {
      return std::abs(static_cast<double>(step) - typical) <= typical / 10;
    }));
  }
  return all == 0 ? 0 : static_cast<double>(even) / static_cast<double>(all);
}

}  // namespace

bool in_disorder(const Judgement& judgement) {
  return std::ranges::any_of(judgement.strands, [](const StrandJudgement& strand_judgement) {
    return (strand_judgement.out_of_order + strand_judgement.duplicate_times) * 10 >=
           strand_judgement.records;
  });
}

bool may_be_stacked(const Records& records, const Judgement& judgement) {
  return records.key_name.empty() && judgement.strands.size() == 1 && records.size() >= 8 &&
         (!judgement.strands[0].rhythm.is_regular() || in_disorder(judgement));
}

namespace {

/// How often the next record is of another series.
std::int64_t switches(const Grouping& by) {
  std::int64_t count = 0;
  for (std::size_t row = 1; row < by.group.size(); ++row) {
    count += by.group[row] != by.group[row - 1];
  }
  return count;
}

/// What shows that a column tells series apart.
struct Evidence {
  std::int64_t odd = 0;  ///< records that repeat a time or come late, within its values
  std::string why{};
};

std::optional<Evidence> evidence_of(std::span<const Instant> times, const Grouping& by,
                                    const std::string& name) {
  const auto count = static_cast<std::int64_t>(times.size());
  const std::int64_t odd = odd_times(times, nullptr), own = odd_times(times, &by);
  if (odd * 10 >= count && own * 20 <= odd &&
      (switches(by) * 20 <= count || even_share(times, &by) >= 0.75)) {
    return Evidence{own, fmt::format("{} of them repeat a time or come after a later one, and {} "
                                     "within one value of {}",
                                     grouped(odd), own == 0 ? "none" : grouped(own), shown(name))};
  }
  const double whole = even_share(times, nullptr), within = even_share(times, &by);
  if (own * 20 > count || whole > 0.5 || within < 0.75) return std::nullopt;
  return Evidence{own,
                  fmt::format("{:.0f}% of the steps are even, and {:.0f}% within one value of {}",
                              100 * whole, 100 * within, shown(name))};
}

}  // namespace

namespace {

/// Groups by the values of two columns.
Grouping by_both(const Grouping& a, const Grouping& b, std::size_t most) {
  Grouping out;
  std::unordered_map<std::uint64_t, std::uint32_t> numbered;
  for (std::size_t row = 0; row < a.group.size(); ++row) {
    const std::uint64_t pair = std::uint64_t{a.group[row]} << 32 | b.group[row];
    const auto [at, added] = numbered.emplace(pair, static_cast<std::uint32_t>(out.groups));
    out.groups += added;
    if (out.groups > most) return {};
    out.group.push_back(at->second);
  }
  return out;
}

Finding stacked_by(const Records& records, std::size_t groups, const Evidence& evidence,
                   const std::string& key) {
  return {"stacked", static_cast<std::int64_t>(records.size()), records.places->line(0),
          fmt::format("records of {} series read as one: {}; tell them apart: ‹key› {}",
                      grouped(static_cast<std::int64_t>(groups)), evidence.why, key)};
}

/// The pair of columns that tells series apart, where no column alone does: a species on a quay.
std::optional<Finding> find_stacked_pair(const Records& records) {
  constexpr std::size_t most_columns = 8;
  const auto times = records.times.times();
  const std::size_t most = times.size() / 5;
  struct Candidate {
    std::string name;
    Grouping by;
  };
  std::vector<Candidate> candidates;
  for (const auto type : {Column::Type::text, Column::Type::integer}) {
    for (std::size_t i = 0; i < records.values.columns().size(); ++i) {
      const Column& column = records.values.columns()[i];
      if (column.type() != type || candidates.size() == most_columns) continue;
      Grouping by =
          type == Column::Type::text ? by_names(column, most) : by_whole_numbers(column, most);
      if (by.groups < 2 || by.group.size() != times.size()) continue;
      candidates.push_back({records.values.names()[i], std::move(by)});
    }
  }
  std::optional<Finding> best;
  std::int64_t fewest = std::numeric_limits<std::int64_t>::max();
  for (std::size_t a = 0; a < candidates.size(); ++a) {
    for (std::size_t b = a + 1; b < candidates.size(); ++b) {
      const Grouping by = by_both(candidates[a].by, candidates[b].by, most);
      if (by.groups < 2) continue;
      const std::string key = detail::quoted_where_needed(candidates[a].name, "+,()") + "+" +
                              detail::quoted_where_needed(candidates[b].name, "+,()");
      const auto evidence = evidence_of(times, by, key);
      if (!evidence || evidence->odd >= fewest) continue;
      fewest = evidence->odd;
      best = stacked_by(records, by.groups, *evidence, shown(key, 200));
    }
  }
  return best;
}

}  // namespace

std::optional<Finding> find_stacked(const Records& records) {
  if (!records.key_name.empty() || records.size() < 8) return std::nullopt;
  const auto times = records.times.times();
  const std::size_t most = times.size() / 5;
  std::optional<Finding> best;
  std::int64_t fewest = std::numeric_limits<std::int64_t>::max();
  // Numbers are asked only where no names will do.
  for (const auto type : {Column::Type::text, Column::Type::integer}) {
    if (best) break;
    for (std::size_t i = 0; i < records.values.columns().size(); ++i) {
      const Column& column = records.values.columns()[i];
      if (column.type() != type) continue;
      const std::string& name = records.values.names()[i];
      const Grouping by =
          type == Column::Type::text ? by_names(column, most) : by_whole_numbers(column, most);
      if (by.groups < 2 || by.group.size() != times.size()) continue;
      const auto evidence = evidence_of(times, by, name);
      if (!evidence || evidence->odd >= fewest) continue;
      fewest = evidence->odd;
      best = stacked_by(records, by.groups, *evidence,
                        shown(detail::quoted_where_needed(name, "+,()"), 200));
    }
  }
  return best ? best : find_stacked_pair(records);
}

}  // namespace zerobeat
