#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <map>
#include <unordered_set>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/judge/stacked.hpp>

#include "base/parallel.hpp"
#include "judge/strand_findings.hpp"

namespace zerobeat::inline v1 {

namespace {

using namespace detail;

void add_stuck_readings(const std::string& name, const ReadingRuns& runs, Noticed& noticed,
                        std::string& example) {
  const auto stuck = runs.stuck();
  if (stuck.runs == 0) return;
  if (example.empty()) {
    example = fmt::format("{} for {} readings on end", name, grouped(stuck.longest));
  }
  noticed.add(stuck.first_row, stuck.readings);
}

/// Readings that are missing in runs longer than a gap.
class LongRuns {
 public:
  /// From the reading before the run to the one after; `step` and `factor` say what a gap is.
  void add(const std::string& name, Instant from, Instant to, std::int64_t row,
           std::int64_t readings, const std::optional<double>& step, double factor) {
    const double length = in_seconds(nanoseconds_between(std::min(from, to), std::max(from, to)));
    if (!step || length <= factor * *step) return;
    noticed_.add(row, readings);
    if (length <= longest_s_) return;
    longest_s_ = length;
    column_ = name;
  }
  const Noticed& noticed() const { return noticed_; }
  std::string text() const {
    return fmt::format(
        "readings that are missing in runs longer than a gap, up to {} in {}; see gaps ‹on›, and "
        "fill ‹try›",
        length_text(longest_s_), column_);
  }

 private:
  Noticed noticed_;
  double longest_s_ = 0;
  std::string column_;
};

/// Of a column that was not kept, in order of arrival. Words that are missing more often than not
/// are remarks.
void look_at_runs(const ColumnSeen& seen, std::span<const Instant> times,
                  const std::optional<double>& step, double factor, LongRuns& out) {
  const auto rows = static_cast<std::int64_t>(times.size());
  const bool numeric = seen.type == Column::Type::number || seen.type == Column::Type::integer;
  if (!numeric && seen.missing * 2 > rows) return;
  for (const auto& run : seen.missing_runs.all()) {
    if (run.row + run.length > rows) break;
    const auto from = static_cast<std::size_t>(std::max<std::int64_t>(0, run.row - 1));
    const auto to = static_cast<std::size_t>(std::min(rows - 1, run.row + run.length));
    out.add(seen.name, times[from], times[to], run.row, run.length, step, factor);
  }
}

/// Of one that was kept, strand by strand.
void look_at_runs(const std::string& name, const Column& column, std::span<const Instant> times,
                  const RecordOrder& order, const std::vector<StrandJudgement>& strands,
                  double factor, LongRuns& out) {
  if (column.validity().all()) return;
  if (!column.is_numeric() && column.validity().missing() * 2 > column.size()) return;
  for (std::size_t s = 0; s < order.strands.size(); ++s) {
    const Strand& strand = order.strands[s];
    const auto row = [&](std::size_t i) { return static_cast<std::size_t>(order.row(i)); };
    for (std::size_t i = strand.begin; i < strand.end;) {
      if (column.valid(row(i))) {
        ++i;
        continue;
      }
      const std::size_t begin = i;
      while (i < strand.end && !column.valid(row(i))) ++i;
      const std::size_t from = begin > strand.begin ? begin - 1 : begin;
      const std::size_t to = i < strand.end ? i : i - 1;
      out.add(name, times[row(from)], times[row(to)], order.row(begin),
              static_cast<std::int64_t>(i - begin), strands[s].typical_step_s, factor);
    }
  }
}

/// A column that was kept, judged strand by strand in order of arrival.
ColumnSeen look_at_column(const std::string& name, const Column& column, const RecordOrder& order,
                          Noticed& stuck, std::string& example) {
  ColumnSeen out;
  out.name = name;
  out.type = column.type();
  out.missing = static_cast<std::int64_t>(column.validity().missing());
  if (!column.is_numeric()) return out;
  const auto look = [&](const auto& values, auto& low, auto& high) {
    for (const Strand& strand : order.strands) {
      ReadingRuns reading_runs;
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        const auto row = static_cast<std::size_t>(order.row(i));
        if (!column.valid(row)) continue;
        low = std::min(low.value_or(values[row]), values[row]);
        high = std::max(high.value_or(values[row]), values[row]);
        reading_runs.add(static_cast<double>(values[row]), static_cast<std::int64_t>(row));
      }
      add_stuck_readings(name, reading_runs, stuck, example);
    }
  };
  if (column.type() == Column::Type::number) {
    look(column.numbers(), out.min, out.max);
  } else {
    look(column.integers(), out.min_whole, out.max_whole);
  }
  return out;
}

/// The extremes of a column that was kept.
Extremes extremes_of(const Column& column) {
  Extremes extremes;
  if (!column.is_numeric()) return extremes;
  std::vector<double> block;
  constexpr std::size_t most = std::size_t{1} << 14;
  const std::size_t rows = column.size();
  for (std::size_t row = 0; row < rows;) {
    if (!column.valid(row)) {
      ++row;
      continue;
    }
    const std::size_t first = row;
    block.clear();
    for (; row < rows && block.size() < most && column.valid(row); ++row) {
      block.push_back(column.type() == Column::Type::number
                          ? column.numbers()[row]
                          : static_cast<double>(column.integers()[row]));
    }
    extremes.add(block, static_cast<std::int64_t>(first));
  }
  return extremes;
}

std::string_view advice(Reason reason, Repeated repeated) {
  switch (reason) {
    case Reason::missing_time:
      return "records without a time; rejected";
    case Reason::unreadable_time:
      return "times that are not of the format; rejected; see ‹time_format›";
    case Reason::impossible_time:
      return "times that do not exist, like 30 February or 25:00; rejected";
    case Reason::repeated_time:
      // Order was asked, and can't decide of strands that are short.
      return repeated == Repeated::order
                 ? "local times that happen twice, of strands too short to tell which it is by "
                   "their order; rejected; say which: ‹repeated› earlier or later"
                 : "local times that happen twice; rejected; see ‹repeated›";
    case Reason::skipped_time:
      return "local times that never happen; rejected; see ‹skipped›";
    case Reason::out_of_range_time:
      return "times outside ‹not_before› and ‹not_after›, or the years 1678 to 2261; rejected";
    case Reason::missing_key:
      return "records without a key; rejected";
    case Reason::duplicate_time:
      return "records of a key and time already seen; rejected as asked";
    case Reason::field_count:
      return "records with more or fewer cells than the header; rejected; see ‹delimiter›";
    case Reason::broken_quote:
      return "records with a quote that does not close; rejected";
    case Reason::broken_record:
      return "lines that hold no JSON object, or nest too deep; rejected";
    case Reason::bad_encoding:
      return "records that are not UTF-8; rejected; turn the file into UTF-8 with iconv";
    case Reason::unreadable_reading:
      return "readings that are not numbers; missing, the records stay; see ‹missing›";
  }
  return "";
}

/// Gathers findings, with the line that each was first seen in.
class Findings {
 public:
  explicit Findings(const Records& records) : records_(records) {}

  void add(const char* kind, const Noticed& noticed, std::string message) {
    if (noticed.count == 0) return;
    const bool known = noticed.first_row < static_cast<std::int64_t>(records_.size());
    const auto row = static_cast<std::size_t>(noticed.first_row);
    const auto& parts = records_.source->parts;
    all.push_back({kind, noticed.count, known ? records_.places->line(row) : 0, std::move(message),
                   known && parts.size() > 1
                       ? records_.source->part_of(records_.places->byte(row)).name
                       : ""});
  }

  std::vector<Finding> all{};

 private:
  const Records& records_;
};

void add_faults(const Records& records, Findings& findings) {
  const SourceAccount& account = *records.source;
  for (std::size_t i = 0; i < reasons; ++i) {
    const auto reason = static_cast<Reason>(i);
    if (account.by_reason[i] == 0) continue;
    const auto first = std::ranges::find(account.faults, reason, &Fault::reason);
    findings.all.push_back({std::string(word(reason)), account.by_reason[i],
                            first == account.faults.end() ? 0 : first->line,
                            std::string(advice(reason, records.time.repeated))});
  }
  // Dates that stand for no time are out of range: 9999-12-31.
  Finding stand_ins{"round-instant", 0, 0,
                    "times like 9999-12-31 or 1900-01-00, which stand for none; rejected; see "
                    "‹missing›"};
  for (const Fault& fault : account.faults) {
    if (fault.reason != Reason::out_of_range_time && fault.reason != Reason::impossible_time) {
      continue;
    }
    const std::string text = account.text_of(fault);
    const bool stands_in = std::ranges::any_of(
        std::initializer_list<std::string_view>{"9999-12-31", "31/12/9999", "12/31/9999",
                                                "0001-01-01", "1900-01-00", "0000-00-00",
                                                "99991231"},
        [&](std::string_view date) { return text.find(date) != std::string_view::npos; });
    if (!stands_in) continue;
    if (stand_ins.count++ == 0) stand_ins.first_line = fault.line;
  }
  if (stand_ins.count > 0) findings.all.push_back(std::move(stand_ins));
}

/// Whether the raw text of every record is at hand.
bool has_text(const SourceAccount& account) {
  return !account.parts.empty() && std::ranges::none_of(account.parts, [](const SourcePart& part) {
    return part.has_rows() || part.text.empty();
  });
}

/// Records of one key and time: places [begin, end) of the order, at least two.
struct SameTime {
  std::size_t begin = 0, end = 0;
};

std::vector<SameTime> records_of_one_time(const Records& records, const RecordOrder& order) {
  const auto times = records.times.times();
  std::vector<SameTime> all;
  for (const Strand& strand : order.strands) {
    const auto time = [&](std::size_t k) { return times[static_cast<std::size_t>(order.row(k))]; };
    for (std::size_t begin = strand.begin; begin < strand.end;) {
      std::size_t end = begin + 1;
      while (end < strand.end && time(end) == time(begin)) ++end;
      if (end - begin > 1) all.push_back({begin, end});
      begin = end;
    }
  }
  return all;
}

/// The bytes where some records begin. Where their lines alone are kept, these are counted on from
/// the last start of a line that is known.
class RecordBytes {
 public:
  RecordBytes(const Records& records, std::vector<std::int64_t> rows) : rows_(std::move(rows)) {
    std::ranges::sort(rows_);
    Places::LineStart known, at;
    for (const std::int64_t row : rows_) {
      const auto record = static_cast<std::size_t>(row);
      const Places::LineStart start = records.places->known_start(record);
      if (start != known) known = at = start;
      for (const std::uint64_t line = records.places->line(record); at.line < line; ++at.line) {
        at.byte += records.source->raw(at.byte, part_bytes).find('\n') + 1;
      }
      bytes_.push_back(at.byte);
    }
  }

  std::uint64_t of(std::int64_t row) const {
    return bytes_[static_cast<std::size_t>(std::ranges::lower_bound(rows_, row) - rows_.begin())];
  }

 private:
  std::vector<std::int64_t> rows_;  // ascending
  std::vector<std::uint64_t> bytes_;
};

/// Of records of one key and time, how many are the same record once more.
std::int64_t count_same_again(const Records& records, const RecordOrder& order) {
  const SourceAccount& account = *records.source;
  if (!has_text(account)) return 0;
  const auto groups = records_of_one_time(records, order);
  std::vector<std::int64_t> rows;
  for (const SameTime& group : groups) {
    for (std::size_t i = group.begin; i < group.end; ++i) rows.push_back(order.row(i));
  }
  const RecordBytes bytes(records, std::move(rows));
  const auto raw = [&](std::size_t i) {
    const std::uint64_t byte = bytes.of(order.row(i));
    const std::string_view rest = account.raw(byte, part_bytes);
    const std::string_view line = rest.substr(0, rest.find('\n'));
    if (line.find('"') == std::string_view::npos) return line;
    return rest.substr(0, account.record_length(byte));
  };
  std::int64_t same = 0;
  std::unordered_set<std::string_view> seen;
  for (const SameTime& group : groups) {
    if (group.end - group.begin == 2) {
      same += raw(group.begin) == raw(group.begin + 1);
      continue;
    }
    seen.clear();
    for (std::size_t i = group.begin; i < group.end; ++i) same += !seen.insert(raw(i)).second;
  }
  return same;
}

/// A name without spaces, in small letters.
std::string plain(std::string_view name) {
  std::string out;
  for (const char c : name) {
    if (c != ' ' && c != '\t') {
      out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    }
  }
  return out;
}

/// Of plain(name) (FNV-1a: Fowler, Noll, Vo 1991).
std::uint64_t hash_of_plain(std::string_view name) {
  std::uint64_t hash = 0xcbf29ce484222325;
  for (const char c : name) {
    if (c == ' ' || c == '\t') continue;
    hash ^= static_cast<std::uint64_t>(std::tolower(static_cast<unsigned char>(c)));
    hash *= 0x100000001b3;
  }
  return hash;
}

void add_key_spelling(const Records& records, Findings& findings) {
  if (!records.keys) return;
  const auto& names = records.keys->dictionary();
  const auto codes = records.keys->codes();
  std::vector<std::int64_t> uses(names.size());
  for (const auto code : codes) ++uses[static_cast<std::size_t>(code)];
  // Names that are alike have one hash; only where several do are they looked at as texts.
  std::vector<std::pair<std::uint64_t, std::size_t>> by_hash;
  by_hash.reserve(names.size());
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (uses[i] > 0) by_hash.emplace_back(hash_of_plain(names[i]), i);
  }
  std::ranges::sort(by_hash);
  Noticed noticed;
  std::string example;
  std::vector<bool> odd(names.size());
  std::size_t first_odd = names.size();
  for (std::size_t from = 0; from < by_hash.size();) {
    std::size_t until = from + 1;
    while (until < by_hash.size() && by_hash[until].first == by_hash[from].first) ++until;
    std::map<std::string, std::vector<std::size_t>> alike;
    for (std::size_t i = from; until - from > 1 && i < until; ++i) {
      alike[plain(names[by_hash[i].second])].push_back(by_hash[i].second);
    }
    for (const auto& [text, keys] : alike) {
      const std::size_t usual =
          *std::ranges::max_element(keys, {}, [&](std::size_t k) { return uses[k]; });
      for (const std::size_t key : keys) {
        if (key == usual) continue;
        odd[key] = true;
        if (key >= first_odd) continue;
        first_odd = key;
        example =
            fmt::format("\"{}\" beside \"{}\"", printable(names[key]), printable(names[usual]));
      }
    }
    from = until;
  }
  if (example.empty()) return;
  for (std::size_t row = 0; row < codes.size(); ++row) {
    if (odd[static_cast<std::size_t>(codes[row])]) noticed.add(static_cast<std::int64_t>(row));
  }
  findings.add("key-spelling", noticed,
               fmt::format("records of keys that differ from others only in case or space, like "
                           "{}; they are strands of their own",
                           example));
}

/// Strands are looked at block by block, so that how does not depend on the number of threads, and
/// what each has noticed is added up at once.
ClockFindings look_at_strands(const Records& records, const RecordOrder& order,
                              const JudgeOptions& options, std::vector<StrandJudgement>& judged) {
  constexpr std::size_t block = 1 << 10;
  const auto rounds = round_instants(records.time.zone);
  judged.resize(order.strands.size());
  std::vector<ClockFindings> blocks((judged.size() + block - 1) / block);
  detail::parallel_for(std::size_t{0}, blocks.size(), [&](std::size_t b) {
    const std::size_t from = b * block, until = std::min(judged.size(), from + block);
    std::vector<StrandFindings> own(until - from);
    detail::parallel_for(from, until, [&](std::size_t s) {
      own[s - from] = look_at_strand(records, order, order.strands[s], options, rounds);
    });
    for (std::size_t s = from; s < until; ++s) {
      judged[s] = own[s - from].judgement;
      blocks[b].add(std::move(own[s - from]));
    }
  });
  ClockFindings all;
  for (ClockFindings& clock_findings : blocks) all.append(std::move(clock_findings));
  return all;
}

/// Which of the gaps are none.
std::string pauses_text(const ClockFindings& all) {
  if (all.pauses == 0) return {};
  return fmt::format("{} of them {} the time between sessions ({}; see ‹hours›); ",
                     grouped(all.pauses), all.pauses == 1 ? "is" : "are", to_text(*all.sessions));
}

/// The period that all strands have, as resample takes it.
std::string every_text(const Judgement& judgement) {
  if (judgement.strands.empty()) return {};
  const Rhythm& rhythm = judgement.strands.front().rhythm;
  const bool common =
      std::ranges::all_of(judgement.strands, [&](const StrandJudgement& strand_judgement) {
        return strand_judgement.rhythm.period == rhythm.period &&
               strand_judgement.rhythm.weekdays == rhythm.weekdays;
      });
  if (!common || !rhythm.is_regular()) return {};
  std::string text = " ‹every› " + to_text(rhythm.period);
  if (rhythm.weekdays) text += " ‹weekend› " + to_text(Weekend{~rhythm.weekdays->days});
  return text;
}

void add_clock_findings(const Records& records, const RecordOrder& order, const ClockFindings& all,
                        const Judgement& judgement, const JudgeOptions& options,
                        Findings& findings) {
  findings.add("out-of-order", all.late,
               fmt::format("records that arrived after later ones, up to {} late; settle puts them "
                           "in order",
                           length_text(all.most_late)));
  if (all.duplicates.count > 0) {
    const std::int64_t same = count_same_again(records, order);
    const std::string which =
        !has_text(*records.source)     ? "whose text is not at hand"
        : same == all.duplicates.count ? "all of them the same record again"
        : same == 0                    ? "none of them the same record again"
                    : fmt::format("{} the same record again, {} with other readings", grouped(same),
                                  grouped(all.duplicates.count - same));
    findings.add(
        "duplicate-times", all.duplicates,
        fmt::format(
            "records of a time already seen in their strand, {}; see settle "
            "‹duplicates›{}",
            which,
            records.key_name.empty() ? ", or name the column that tells series apart: ‹key›" : ""));
  }
  const GapProfile& profile = judgement.gap_profile;
  findings.add("gap", all.gaps,
               fmt::format("steps longer than {} typical ones, up to {}, {:.4g}% covered; {}"
                           "resample{} makes rows for them, which fill ‹max_gap› then fills",
                           options.gap_factor, length_text(profile.longest_s),
                           std::floor(profile.covered * 1e4) / 100, pauses_text(all),
                           every_text(judgement)));
  findings.add("jitter", all.off,
               "steps off the typical one by more than a hundredth; resample makes them regular");
  findings.add("rate-change", all.rate_changes,
               fmt::format("changes of the typical step for good, first from {} to {}; judge each "
                           "stretch by itself: ‹not_before›, ‹not_after›",
                           length_text(in_seconds(all.first_change.before)),
                           length_text(in_seconds(all.first_change.after))));
  const ClockJump& jump = all.first_jump;
  const std::string jump_length = length_text(std::abs(in_seconds(jump.by)));
  findings.add(
      "clock-jump", all.jumps,
      jump.records == 0
          ? fmt::format("jumps of the clock, first one back by {} for good; read what comes "
                        "before and after by itself: ‹not_before›, ‹not_after›",
                        jump_length)
          : fmt::format("jumps of the clock, first one {} by {} for {} records; they are "
                        "kept, in the order of their times; clip or leave them out",
                        jump.by < 0 ? "back" : "ahead", jump_length, grouped(jump.records)));
  findings.add("stuck-clock", all.stuck,
               "records of a clock that stood still, five or more of one time; their order is all "
               "that is known");
  findings.add("round-instant", all.round,
               fmt::format("times like {}, far from all others, where clocks start that were never "
                           "set; see ‹not_before›",
                           all.round_example));
  findings.add("future-time", all.future, "times later than now; see ‹not_after›");
}

/// How fine times are, and how many lie on whole seconds.
struct Fineness {
  int digits = 0;
  Noticed whole_seconds;
};

Fineness fineness_of(std::span<const Instant> times, std::size_t from, std::size_t until) {
  Fineness out;
  const auto stretch = times.subspan(from, until - from);
  // Divisors that are known make each test a multiplication.
  const auto finer_than = [&]<std::int64_t unit>(std::integral_constant<std::int64_t, unit>) {
    return std::ranges::any_of(stretch, [](Instant t) { return nanoseconds_of(t) % unit != 0; });
  };
  if (finer_than(std::integral_constant<std::int64_t, 1'000'000'000>())) {
    out.digits = !finer_than(std::integral_constant<std::int64_t, 1'000'000>()) ? 3
                 : !finer_than(std::integral_constant<std::int64_t, 1'000>())   ? 6
                                                                                : 9;
  }
  for (std::size_t row = from; row < until; ++row) {
    if (nanoseconds_of(times[row]) % 1'000'000'000 == 0) [[unlikely]] {
      out.whole_seconds.add(static_cast<std::int64_t>(row));
    }
  }
  return out;
}

/// How many digits of the second the times have, and which are whole seconds among fractions.
void look_at_digits(const Records& records, Judgement& out, Findings& findings) {
  const auto times = records.times.times();
  constexpr std::size_t part = 1 << 16;
  std::vector<Fineness> parts((times.size() + part - 1) / part);
  detail::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
    parts[p] = fineness_of(times, p * part, std::min(times.size(), (p + 1) * part));
  });
  Noticed whole;
  for (const Fineness& fineness : parts) {
    out.digits = std::max(out.digits, fineness.digits);
    whole.add(fineness.whole_seconds);
  }
  const auto all = static_cast<double>(times.size());
  const auto count = static_cast<double>(whole.count);
  const double by_chance = all * std::pow(10.0, -out.digits);
  if (out.digits == 0 || count * 2 >= all || count < 2 || count <= 10 * by_chance) return;
  findings.add("whole-second", whole,
               "times without a fraction among times with one; a second source, or a lost "
               "fraction?");
}

}  // namespace

int weight_of(const std::string& kind) {
  for (std::size_t i = 0; i < reasons; ++i) {
    if (kind == word(static_cast<Reason>(i))) return 3;
  }
  for (const char* serious :
       {"clock-jump", "stuck-clock", "round-instant", "future-time", "mixed-units", "mixed-formats",
        "key-spelling", "clock-off", "stacked", "nearly-numeric", "sentinel"}) {
    if (kind == serious) return 2;
  }
  for (const char* note : {"digits-cut", "jitter", "whole-second", "clock-agree", "clock-unlike",
                           "preamble", "line-ends"}) {
    if (kind == note) return 0;
  }
  return 1;
}

Judgement judge(const Records& records, const JudgeOptions& options) {
  detail::check_records(records);
  if (!(options.gap_factor > 0)) {
    fail_usage("the gap factor is greater than 0; {} is not", options.gap_factor);
  }
  Judgement out;
  out.account = records.source;
  out.time = records.time;
  Findings findings(records);
  add_faults(records, findings);

  const auto order = order_records(records);
  const ClockFindings clocks = look_at_strands(records, order, options, out.strands);
  out.gap_profile = profile_of(clocks, records.time);
  add_clock_findings(records, order, clocks, out, options, findings);
  if (records.time.axis.is_instants()) look_at_digits(records, out, findings);
  add_key_spelling(records, findings);

  Noticed stuck;
  std::string example;
  LongRuns runs;
  for (const ColumnSeen& seen : records.seen) {
    out.columns.push_back(seen);
    add_stuck_readings(seen.name, seen.runs, stuck, example);
    if (out.strands.size() == 1) {
      look_at_runs(seen, records.times.times(), out.strands[0].typical_step_s, options.gap_factor,
                   runs);
    }
  }
  for (std::size_t i = 0; i < records.values.columns().size(); ++i) {
    const std::string& name = records.values.names()[i];
    const Column& column = records.values.columns()[i];
    out.columns.push_back(look_at_column(name, column, order, stuck, example));
    look_at_runs(name, column, records.times.times(), order, out.strands, options.gap_factor, runs);
  }
  findings.add("missing-run", runs.noticed(), runs.text());
  const auto look_for_sentinel = [&](const std::string& name, const Extremes& extremes) {
    const auto found = extremes.sentinel();
    if (!found) return;
    Noticed noticed;
    noticed.add(found->first_row, found->count);
    findings.add(
        "sentinel", noticed,
        fmt::format("readings of {} that are {}, far from all others ({:.6g} to {:.6g}); "
                    "when that stands for missing: ‹missing› {}",
                    name, found->value, found->others_least, found->others_greatest, found->value));
  };
  for (const ColumnSeen& seen : records.seen) look_for_sentinel(seen.name, seen.extremes);
  for (std::size_t c = 0; c < records.values.names().size(); ++c) {
    look_for_sentinel(records.values.names()[c], extremes_of(records.values.columns()[c]));
  }
  findings.add(
      "stuck-reading", stuck,
      fmt::format("readings that stay the same far longer than the column does, like {}; a "
                  "stuck sensor?",
                  example));

  out.findings = std::move(findings.all);
  if (may_be_stacked(records, out)) {
    if (const auto stacked = find_stacked(records)) out.findings.push_back(*stacked);
  }
  add_findings(out, records.findings);
  return out;
}

void add_findings(Judgement& judgement, std::span<const Finding> more) {
  auto& all = judgement.findings;
  all.insert(all.end(), more.begin(), more.end());
  std::ranges::stable_sort(all, [](const Finding& a, const Finding& b) {
    return std::pair(weight_of(a.kind), a.count) > std::pair(weight_of(b.kind), b.count);
  });
}

}  // namespace zerobeat
