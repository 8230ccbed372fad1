#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <zerobeat/base/text.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/table/step_timer.hpp>
#include <zerobeat/time/grid.hpp>

#include "judge/rhythm.hpp"
#include "regular/parts.hpp"
#include "table/key_column.hpp"
#include "table/made_columns.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::size_t most_rows = 10'000'000;

void check(const Timeline& timeline, const Gaps& options) {
  if (!(options.gap_factor > 0)) {
    fail_usage("‹gap_factor› {}: a number above 0", options.gap_factor);
  }
  if (options.by.empty()) return;
  need_instants(timeline.axis(), "‹by›");
  for (const Part& part : options.by) {
    if (part.kind == Part::Kind::value) {
      fail_usage("‹by› {}: gaps go by parts of the calendar, like year,month", to_text(part));
    }
    if (std::ranges::count(options.by, part) > 1) {
      fail_usage("‹by›: {} is given twice", to_text(part));
    }
  }
}

std::vector<std::string> chosen(const Timeline& timeline, const Gaps& options) {
  return options.on.empty() ? timeline.values().names()
                            : timeline.values().chosen(options.on, false);
}

/// One strand: its times, typical step, and where a step is a gap.
class StrandGaps {
 public:
  StrandGaps(const Timeline& timeline, std::size_t s, double factor)
      : timeline_(timeline), s_(s), strand_(timeline.strands()[s]) {
    const auto step = typical_step(timeline.times().subspan(strand_.begin, strand_.size()));
    if (!step) return;
    step_ = *step;
    longest_ = factor * static_cast<double>(step->count());
  }

  Instant first() const { return timeline_.times()[strand_.begin]; }
  Instant last() const { return timeline_.times()[strand_.end - 1]; }
  double span_s() const { return detail::seconds_between(first(), last()); }

  bool is_gap(std::size_t row) const {
    if (step_.count() == 0) return false;
    const auto times = timeline_.times();
    return 1e9 * detail::seconds_between(times[row - 1], times[row]) > longest_;
  }

  void add_records(std::vector<GapFound>& out) const {
    const auto times = timeline_.times();
    for (std::size_t row = strand_.begin + 1; row < strand_.end; ++row) {
      if (!is_gap(row)) continue;
      const double steps = 1e9 * detail::seconds_between(times[row - 1], times[row]) /
                           static_cast<double>(step_.count());
      out.push_back({s_, "", times[row - 1], times[row], std::llround(steps) - 1});
    }
  }

  void add_column(const std::string& name, const Column& column, std::vector<GapFound>& out) const {
    if (column.validity().all()) return;
    const auto times = timeline_.times();
    for (std::size_t row = strand_.begin; row < strand_.end;) {
      if (column.valid(row)) {
        ++row;
        continue;
      }
      const std::size_t begin = row;
      while (row < strand_.end && !column.valid(row)) ++row;
      out.push_back({s_, name, times[begin > strand_.begin ? begin - 1 : begin],
                     times[row < strand_.end ? row : row - 1],
                     static_cast<std::int64_t>(row - begin)});
    }
  }

  /// From a typical step after the last reading to the next, wherever some are missing between;
  /// of records when there is no column.
  std::vector<TimeSpan> missing(const Column* column) const {
    std::vector<TimeSpan> out;
    const auto times = timeline_.times();
    const auto add = [&](Instant from, Instant to) {
      if (from < to) out.push_back({from, to});
    };
    const auto after = [&](std::size_t row) {
      return detail::bounded_instant(Wide(nanoseconds_of(times[row])) + step_.count());
    };
    std::optional<std::size_t> before;
    bool broken = false;
    for (std::size_t row = strand_.begin; row < strand_.end; ++row) {
      if (row > strand_.begin) broken |= is_gap(row);
      if (column != nullptr && !column->valid(row)) {
        broken = true;
        continue;
      }
      if (broken) add(before ? after(*before) : first(), times[row]);
      before = row;
      broken = false;
    }
    if (broken && strand_.size() > 0) add(before ? after(*before) : first(), last());
    return out;
  }

  const Strand& strand() const { return strand_; }

 private:
  const Timeline& timeline_;
  std::size_t s_;
  const Strand& strand_;
  Nanoseconds step_{0};
  double longest_ = 0;
};

double total_s(const std::vector<TimeSpan>& spans) {
  double sum = 0;
  for (const TimeSpan& span : spans) sum += detail::seconds_between(span.start, span.stop);
  return sum;
}

/// What is told of the gaps of records, or of one column.
struct Lengths {
  std::vector<double> all{};
  double span_s = 0, missing_s = 0;

  std::string told(std::string_view what) {
    std::string text = fmt::format("{} {}", grouped(static_cast<std::int64_t>(all.size())), what);
    if (!all.empty()) {
      std::ranges::sort(all);
      const std::size_t n = all.size();
      const double median = (all[(n - 1) / 2] + all[n / 2]) / 2;
      const double sum = std::accumulate(all.begin(), all.end(), 0.0);
      text += fmt::format(": shortest {}, median {}, mean {}, longest {}", length_text(all.front()),
                          length_text(median), length_text(sum / static_cast<double>(n)),
                          length_text(all.back()));
    }
    if (span_s > 0) text += fmt::format("; {:.4g}% covered", 100 * (1 - missing_s / span_s));
    return text;
  }
};

/// The hours outside which a strand has no records, where it pauses day after day.
std::optional<Sessions> sessions_of(const Timeline& timeline, std::size_t s,
                                    const std::vector<GapFound>& found) {
  if (!timeline.axis().is_instants()) return std::nullopt;
  std::vector<TimeSpan> gaps, pauses;
  auto own = std::ranges::lower_bound(found, s, {}, &GapFound::strand);
  for (; own != found.end() && own->strand == s; ++own) {
    if (own->column.empty()) gaps.push_back({own->from, own->to});
  }
  const Strand& strand = timeline.strands()[s];
  return detail::sessions_of(timeline.times()[strand.begin], timeline.times()[strand.end - 1], gaps,
                             timeline.zone(), pauses);
}

/// A note for records and for each column that has gaps.
void tell(const Timeline& timeline, const Gaps& options, const std::vector<std::string>& names,
          const std::vector<GapFound>& found, StepTimer& timer) {
  std::map<std::string_view, Lengths> by_column;
  for (const GapFound& gap : found) {
    by_column[gap.column].all.push_back(detail::seconds_between(gap.from, gap.to));
  }
  Lengths& records = by_column[""];
  std::int64_t pauses = 0;
  std::optional<Sessions> sessions;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    if (timeline.strands()[s].size() == 0) continue;
    const StrandGaps strand(timeline, s, options.gap_factor);
    if (const auto own = sessions_of(timeline, s, found)) {
      pauses += own->pauses;
      if (!sessions) sessions = own;
    }
    records.span_s += strand.span_s();
    records.missing_s += total_s(strand.missing(nullptr));
    for (const auto& name : names) {
      const auto known = by_column.find(name);
      if (known == by_column.end()) continue;
      known->second.span_s += strand.span_s();
      known->second.missing_s += total_s(strand.missing(&timeline.values().column(name)));
    }
  }
  timer.note(records.told(records.all.size() == 1 ? "gap of records" : "gaps of records"));
  if (sessions) {
    timer.note(fmt::format("{} of them {} the time between sessions ({})", grouped(pauses),
                           pauses == 1 ? "is" : "are", to_text(*sessions)));
  }
  constexpr std::size_t most = 20;
  std::size_t told = 0;
  for (const auto& name : names) {
    const auto known = by_column.find(name);
    if (known == by_column.end()) continue;
    if (++told > most) continue;
    timer.note(shown(name) + ": " +
               known->second.told(known->second.all.size() == 1 ? "run of missing readings"
                                                                : "runs of missing readings"));
  }
  if (told > most) timer.note(fmt::format("and {} columns more", told - most));
}

Table table_of(const Timeline& timeline, const std::vector<GapFound>& found) {
  const std::size_t rows = found.size();
  Table table(rows);
  std::vector<std::uint32_t> strands(rows);
  std::vector<std::string> columns(rows);
  Buffer<Instant> from(rows), to(rows);
  Buffer<double> lengths(rows);
  Buffer<std::int64_t> counts(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    strands[i] = static_cast<std::uint32_t>(found[i].strand);
    columns[i] = found[i].column;
    from[i] = found[i].from;
    to[i] = found[i].to;
    lengths[i] = detail::seconds_between(from[i], to[i]);
    counts[i] = found[i].rows;
  }
  detail::add_key(table, timeline, strands);
  table.add("column", detail::column_of_words(columns));
  table.add("from", on_axis(Column::times(std::move(from)), timeline.axis()));
  table.add("to", on_axis(Column::times(std::move(to)), timeline.axis()));
  table.add("length_s", Column::numbers(std::move(lengths)));
  table.add("rows", Column::integers(std::move(counts)));
  return table;
}

/// The stretches that a day, an hour or a minute is walked by. (Clocks change by quarters of an
/// hour.)
Period unit_of(const std::vector<Part>& by) {
  Period unit = Period::of_days(1);
  for (const Part& part : by) {
    if (part.kind == Part::Kind::hour && !unit.is_fixed()) unit = std::chrono::minutes(15);
    if (part.kind == Part::Kind::minute) unit = std::chrono::minutes(1);
  }
  return unit;
}

/// How much of some stretches lies in others that come in order.
class Overlap {
 public:
  explicit Overlap(std::vector<TimeSpan> spans) : spans_(std::move(spans)) {}
  double operator()(const TimeSpan& within) {
    while (at_ < spans_.size() && spans_[at_].stop <= within.start) ++at_;
    double sum = 0;
    for (std::size_t i = at_; i < spans_.size() && spans_[i].start < within.stop; ++i) {
      sum += detail::seconds_between(std::max(spans_[i].start, within.start),
                                     std::min(spans_[i].stop, within.stop));
    }
    return sum;
  }

 private:
  std::vector<TimeSpan> spans_;
  std::size_t at_ = 0;
};

/// Of one part: the span within it, and what is missing of records and of each column.
struct PartSums {
  double span_s = 0;
  std::vector<double> missing_s{};
};

using PartNumbers = std::vector<std::int64_t>;

std::map<PartNumbers, PartSums> sums_of(const Timeline& timeline, const StrandGaps& strand,
                                        const Gaps& options,
                                        const std::vector<std::string>& names) {
  std::vector<Overlap> overlaps;
  overlaps.emplace_back(strand.missing(nullptr));
  for (const auto& name : names) {
    overlaps.emplace_back(strand.missing(&timeline.values().column(name)));
  }
  std::map<PartNumbers, PartSums> sums;
  detail::PartReader reader(timeline.zone(), WeekStart::mon);
  const Grid grid(unit_of(options.by), {.zone = timeline.zone()});
  const std::int64_t last = grid.index_of(strand.last());
  for (std::int64_t n = grid.index_of(strand.first()); n <= last; ++n) {
    const TimeSpan whole = grid.bucket(n);
    const TimeSpan within{std::max(whole.start, strand.first()),
                          std::min(whole.stop, strand.last())};
    PartNumbers numbers;
    reader.go_to(whole.start);
    for (const Part& part : options.by) numbers.push_back(reader.number(part.kind));
    PartSums& part_sums = sums[numbers];
    part_sums.missing_s.resize(overlaps.size());
    if (!(within.start < within.stop)) continue;
    part_sums.span_s += detail::seconds_between(within.start, within.stop);
    for (std::size_t c = 0; c < overlaps.size(); ++c) part_sums.missing_s[c] += overlaps[c](within);
  }
  return sums;
}

Table table_by_parts(const Timeline& timeline, const Gaps& options,
                     const std::vector<std::string>& names) {
  std::vector<std::uint32_t> strands;
  std::vector<PartNumbers> parts;
  std::vector<std::string> columns;
  std::vector<double> missing, shares;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    if (timeline.strands()[s].size() == 0) continue;
    const StrandGaps strand(timeline, s, options.gap_factor);
    for (const auto& [numbers, sums] : sums_of(timeline, strand, options, names)) {
      for (std::size_t c = 0; c < sums.missing_s.size(); ++c) {
        strands.push_back(static_cast<std::uint32_t>(s));
        parts.push_back(numbers);
        columns.push_back(c == 0 ? "" : names[c - 1]);
        missing.push_back(sums.missing_s[c]);
        shares.push_back(sums.span_s > 0 ? sums.missing_s[c] / sums.span_s : 0);
      }
    }
    if (strands.size() > most_rows) {
      fail_usage("‹by› {}: more than {} rows; take longer parts, or fewer columns (‹on›)",
                 to_text(options.by), grouped(static_cast<std::int64_t>(most_rows)));
    }
  }
  Table table(strands.size());
  detail::add_key(table, timeline, strands);
  for (std::size_t p = 0; p < options.by.size(); ++p) {
    if (options.by[p].kind == Part::Kind::weekday) {
      std::vector<std::string> words;
      for (const auto& part : parts) {
        words.emplace_back(enum_words(WeekStart{})[static_cast<std::size_t>(part[p])]);
      }
      table.add(to_text(options.by[p]), detail::column_of_words(words));
      continue;
    }
    Buffer<std::int64_t> numbers(parts.size());
    for (std::size_t i = 0; i < parts.size(); ++i) numbers[i] = parts[i][p];
    table.add(to_text(options.by[p]), options.by[p].kind == Part::Kind::date
                                          ? detail::column_of_dates(numbers.span())
                                          : Column::integers(std::move(numbers)));
  }
  table.add("column", detail::column_of_words(columns));
  table.add("missing_s", Column::numbers(Buffer<double>(std::span<const double>(missing))));
  table.add("missing_share", Column::numbers(Buffer<double>(std::span<const double>(shares))));
  return table;
}

}  // namespace

std::vector<GapFound> find_gaps(const Timeline& timeline, const Gaps& options) {
  check(timeline, options);
  const auto names = chosen(timeline, options);
  std::vector<GapFound> found;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const StrandGaps strand(timeline, s, options.gap_factor);
    strand.add_records(found);
    for (const auto& name : names) strand.add_column(name, timeline.values().column(name), found);
  }
  return found;
}

std::vector<TimeSpan> missing_spans(const Timeline& timeline, std::size_t strand,
                                    const Column* column, double gap_factor) {
  if (timeline.strands()[strand].size() == 0) return {};
  return StrandGaps(timeline, strand, gap_factor).missing(column);
}

namespace {

/// What a picture shows of it: of a list where there is nothing of each strand and column, and of
/// parts their shares.
Material material_of(const Timeline& timeline, const Gaps& options,
                     const std::vector<std::string>& names) {
  Material material{.timelines = {timeline}, .names = {{"on", names}}};
  if (!options.by.empty()) {
    auto& parts = material.names["parts"];
    for (const Part& part : options.by) parts.push_back(to_text(part));
    material.names["takes"] = {"missing_share"};
    return material;
  }
  Buffer<std::int64_t> strands, columns;
  Buffer<Instant> from, to;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    for (std::size_t c = 0; c <= names.size(); ++c) {
      // After the columns the records.
      const Column* column = c < names.size() ? &timeline.values().column(names[c]) : nullptr;
      for (const TimeSpan& span : missing_spans(timeline, s, column, options.gap_factor)) {
        strands.push_back(static_cast<std::int64_t>(s));
        columns.push_back(static_cast<std::int64_t>(c));
        from.push_back(span.start);
        to.push_back(span.stop);
      }
    }
  }
  Table missing(from.size());
  missing.add("strand", Column::integers(std::move(strands)));
  missing.add("column", Column::integers(std::move(columns)));
  missing.add("from", Column::times(std::move(from)));
  missing.add("to", Column::times(std::move(to)));
  material.tables.emplace("missing", std::move(missing));
  return material;
}

}  // namespace

TableResult gaps(const Timeline& timeline, const Gaps& options) {
  StepTimer timer(options, timeline);
  if (timeline.has_key()) {
    constexpr std::string_view own[] = {"column", "from",      "to",           "length_s",
                                        "rows",   "missing_s", "missing_share"};
    detail::check_free(own, timeline.key_names());
  }
  const auto found = find_gaps(timeline, options);
  const auto names = chosen(timeline, options);
  Table table =
      options.by.empty() ? table_of(timeline, found) : table_by_parts(timeline, options, names);
  tell(timeline, options, names, found, timer);
  const auto rows = static_cast<std::int64_t>(table.rows());
  return {std::move(table), timer.finish(timeline, rows),
          [timeline, options, names] { return material_of(timeline, options, names); }};
}

std::optional<std::vector<std::string>> columns_needed(const Gaps& options, std::string_view) {
  if (options.on.empty()) return std::nullopt;
  return options.on;
}

Reach reach(const Gaps&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
