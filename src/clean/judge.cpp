#include <algorithm>
#include <cmath>
#include <limits>
#include <zerobeat/clean/judge.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/table/timeline.hpp>

#include "base/wide.hpp"

namespace zerobeat {

namespace {

double seconds_between(Instant from, Instant to) {
  return static_cast<double>(static_cast<Wide>(nanoseconds_of(to)) - nanoseconds_of(from)) / 1e9;
}

/// What is noticed over all strands: how often, and where first.
struct Noticed {
  std::int64_t count = 0;
  std::uint64_t first_line = 0;

  void add(std::uint64_t line) {
    ++count;
    if (first_line == 0 || line < first_line) first_line = line;
  }
};

struct AllNoticed {
  Noticed out_of_order, duplicates, gaps;
};

StrandJudgement judge_strand(const Records& records, const detail::RecordOrder& order,
                             const Strand& strand, double gap_factor, AllNoticed& noticed) {
  const auto times = records.times.times();
  const auto row_of = [&](std::size_t i) { return static_cast<std::size_t>(order.row(i)); };
  StrandJudgement out;
  out.key = strand.key;
  out.records = static_cast<std::int64_t>(strand.size());

  std::vector<Instant> sorted(strand.size());
  for (std::size_t i = 0; i < strand.size(); ++i) sorted[i] = times[row_of(strand.begin + i)];
  out.first = sorted.front();
  out.last = sorted.back();

  // Arrival order is the order of the rows.
  std::vector<std::size_t> arrival(strand.size());
  for (std::size_t i = 0; i < strand.size(); ++i) arrival[i] = row_of(strand.begin + i);
  if (!std::ranges::is_sorted(arrival)) std::ranges::sort(arrival);
  Instant latest = times[arrival.front()];
  for (const std::size_t row : arrival) {
    if (times[row] < latest) {
      ++out.out_of_order;
      noticed.out_of_order.add(records.places->line(row));
      out.most_late_s = std::max(out.most_late_s, seconds_between(times[row], latest));
    }
    latest = std::max(latest, times[row]);
  }

  const auto step = typical_step(sorted);
  if (step) out.typical_step_s = static_cast<double>(step->count()) / 1e9;
  for (std::size_t i = 1; i < sorted.size(); ++i) {
    const double own = seconds_between(sorted[i - 1], sorted[i]);
    const std::size_t row = row_of(strand.begin + i);
    if (own == 0) {
      ++out.duplicate_times;
      noticed.duplicates.add(records.places->line(row));
    }
    const double own_ns = static_cast<double>(static_cast<Wide>(nanoseconds_of(sorted[i])) -
                                              nanoseconds_of(sorted[i - 1]));
    if (step && own_ns > gap_factor * static_cast<double>(step->count())) {
      ++out.gaps;
      noticed.gaps.add(records.places->line(row));
      out.longest_gap_s = std::max(out.longest_gap_s, own);
    }
  }
  return out;
}

ColumnJudgement judge_column(const std::string& name, const Column& column) {
  ColumnJudgement out;
  out.name = name;
  out.type = column.type();
  out.missing = static_cast<std::int64_t>(column.validity().missing());
  if (column.type() == Column::Type::number) {
    const auto values = column.numbers();
    for (std::size_t i = 0; i < values.size(); ++i) {
      if (!column.valid(i)) continue;
      out.min = std::min(out.min.value_or(values[i]), values[i]);
      out.max = std::max(out.max.value_or(values[i]), values[i]);
    }
  } else if (column.type() == Column::Type::integer) {
    const auto values = column.integers();
    for (std::size_t i = 0; i < values.size(); ++i) {
      if (!column.valid(i)) continue;
      out.min_whole = std::min(out.min_whole.value_or(values[i]), values[i]);
      out.max_whole = std::max(out.max_whole.value_or(values[i]), values[i]);
    }
  }
  return out;
}

std::string_view advice(Reason reason) {
  switch (reason) {
    case Reason::missing_time:
      return "records without a time; rejected";
    case Reason::unreadable_time:
      return "times that are not of the format; rejected; see --time-format";
    case Reason::impossible_time:
      return "times that do not exist, like 30 February or 25:00; rejected";
    case Reason::repeated_time:
      return "local times that happen twice; rejected; see --repeated";
    case Reason::skipped_time:
      return "local times that never happen; rejected; see --skipped";
    case Reason::out_of_range_time:
      return "times outside --earliest and --latest, or the years 1678 to 2261; rejected";
    case Reason::missing_key:
      return "records without a key; rejected";
    case Reason::duplicate_time:
      return "records of a key and time already seen; rejected as asked";
    case Reason::field_count:
      return "records with more or fewer cells than the header; rejected; see --delimiter";
    case Reason::broken_quote:
      return "records with a quote that does not close; rejected";
    case Reason::broken_record:
      return "lines that are not JSON; rejected";
    case Reason::bad_encoding:
      return "records that are not UTF-8; rejected; turn the file into UTF-8 with iconv";
    case Reason::unreadable_reading:
      return "readings that are not numbers; missing, the records stay; see --missing";
  }
  return "";
}

/// Record faults weigh more than oddities, and these more than notes; then the count decides.
int weight(const Finding& finding) {
  for (std::size_t i = 0; i < reasons; ++i) {
    if (finding.kind == word(static_cast<Reason>(i))) return 2;
  }
  return finding.kind == "digits-cut" ? 0 : 1;
}

}  // namespace

Judgement judge(const Records& records, double gap_factor) {
  if (!(gap_factor > 0)) fail_usage("the gap factor is greater than 0; {} is not", gap_factor);
  Judgement out;
  out.account = records.source;
  out.time = records.time;
  for (const Instant t : records.times.times()) {
    if (out.digits == 9) break;
    out.digits = std::max(out.digits, digits_needed(t));
  }
  AllNoticed noticed;
  const auto order = detail::order_records(records);
  for (const Strand& strand : order.strands) {
    out.strands.push_back(judge_strand(records, order, strand, gap_factor, noticed));
  }
  for (std::size_t i = 0; i < records.values.columns().size(); ++i) {
    out.columns.push_back(judge_column(records.values.names()[i], records.values.columns()[i]));
  }

  for (std::size_t i = 0; i < reasons; ++i) {
    const auto reason = static_cast<Reason>(i);
    if (records.source->by_reason[i] == 0) continue;
    const auto first = std::ranges::find(records.source->faults, reason, &Fault::reason);
    out.findings.push_back({std::string(word(reason)), records.source->by_reason[i],
                            first == records.source->faults.end() ? 0 : first->line,
                            std::string(advice(reason))});
  }
  double most_late = 0, longest = 0;
  for (const auto& strand : out.strands) {
    most_late = std::max(most_late, strand.most_late_s);
    longest = std::max(longest, strand.longest_gap_s);
  }
  const auto note = [&](const char* kind, const Noticed& what, std::string message) {
    if (what.count == 0) return;
    out.findings.push_back({kind, what.count, what.first_line, std::move(message)});
  };
  note("out-of-order", noticed.out_of_order,
       fmt::format("records that arrived after later ones, up to {} late; settle puts them in "
                   "order",
                   length_text(most_late)));
  note("duplicate-times", noticed.duplicates,
       "records of a time already seen in their strand; see settle --duplicates");
  note("gap", noticed.gaps,
       fmt::format("steps longer than {} typical steps, up to {}; see fill --max-gap", gap_factor,
                   length_text(longest)));
  out.findings.insert(out.findings.end(), records.findings.begin(), records.findings.end());
  std::ranges::stable_sort(out.findings, [](const Finding& a, const Finding& b) {
    return std::pair(weight(a), a.count) > std::pair(weight(b), b.count);
  });
  return out;
}

}  // namespace zerobeat
