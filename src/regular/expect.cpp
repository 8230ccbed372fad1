#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/regular/expect.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/names.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

/// What was found of one demand: what met it in short, and each place where it is not met.
struct Verdict {
  std::string demand{};  ///< its option and value
  std::string found{};   ///< of one that is met
  std::vector<std::string> unmet{};
};

class Judge {
 public:
  Judge(const Timeline& timeline, const Expect& options) : timeline_(timeline), options_(options) {
    strands_.assign(timeline.strands().begin(), timeline.strands().end());
    if (strands_.empty() && !timeline.has_key()) strands_.push_back({});
  }

  std::vector<Verdict> judge() {
    if (options_.rows) judge_rows(*options_.rows);
    if (options_.strands) judge_strands(*options_.strands);
    if (!options_.keys.empty()) judge_keys();
    if (options_.unique) judge_unique();
    if (options_.regular) judge_regular(*options_.regular);
    if (options_.max_gap) judge_gaps(*options_.max_gap);
    if (options_.coverage) judge_coverage(*options_.coverage);
    if (options_.starts_by) judge_start(*options_.starts_by);
    if (options_.ends_after) judge_end(*options_.ends_after);
    if (options_.fresh) judge_age(*options_.fresh);
    if (options_.missing) judge_missing(*options_.missing);
    for (const ColumnRange& range : options_.range) judge_range(range);
    if (!options_.where.empty()) judge_condition();
    return std::move(verdicts_);
  }

 private:
  Verdict& begin(std::string_view option, const std::string& value) {
    verdicts_.push_back({fmt::format("‹{}›{}{}", option, value.empty() ? "" : " ", value), {}, {}});
    return verdicts_.back();
  }

  /// "strand p1: ", or nothing where there is but one.
  static std::string of(const Strand& strand) {
    return strand.key ? fmt::format("strand {}: ", shown(key_text(*strand.key))) : std::string();
  }
  std::string time_text(Instant t) const {
    const Axis& axis = timeline_.axis();
    if (axis.is_instants()) return to_text(t);
    std::string text;
    append_elapsed(text, t, *axis.elapsed);
    return text;
  }
  std::string at(std::size_t row) const { return time_text(timeline_.times()[row]); }
  const Strand& strand_of(std::size_t row) const {
    return *std::prev(std::ranges::upper_bound(strands_, row, {}, &Strand::begin));
  }
  /// Where a row is: "strand p1: 2025-10-25T12:00:00Z: ".
  std::string where(std::size_t row) const {
    return fmt::format("{}{}: ", of(strand_of(row)), at(row));
  }

  static std::string rows_text(std::int64_t rows) {
    return fmt::format("{} row{}", grouped(rows), rows == 1 ? "" : "s");
  }

  /// "2 too few", "1 too many", or nothing when it is within.
  static std::string beyond(std::int64_t count, const CountRange& range) {
    if (range.least && count < *range.least) {
      return fmt::format("{} too few", grouped(*range.least - count));
    }
    if (range.most && count > *range.most) {
      return fmt::format("{} too many", grouped(count - *range.most));
    }
    return {};
  }

  void judge_rows(const CountRange& range) {
    Verdict& verdict = begin("rows", to_text(range));
    std::int64_t least = 0, most = 0;
    const auto look_at = [&](const Strand& strand, const std::string& text) {
      const auto rows = static_cast<std::int64_t>(strand.size());
      const std::string wrong = beyond(rows, range);
      if (!wrong.empty()) {
        verdict.unmet.push_back(fmt::format("{}{}, {}", text, rows_text(rows), wrong));
      }
    };
    for (const Strand& strand : strands_) {
      const auto rows = static_cast<std::int64_t>(strand.size());
      least = &strand == strands_.data() ? rows : std::min(least, rows);
      most = std::max(most, rows);
      look_at(strand, of(strand));
    }
    if (strands_.empty()) look_at({}, "there is no strand: ");
    verdict.found =
        least == most ? rows_text(least) : fmt::format("{} to {}", grouped(least), rows_text(most));
  }

  void judge_strands(const CountRange& range) {
    Verdict& verdict = begin("strands", to_text(range));
    const auto count = static_cast<std::int64_t>(strands_.size());
    verdict.found = fmt::format("{} strand{}", grouped(count), count == 1 ? "" : "s");
    const std::string wrong = beyond(count, range);
    if (!wrong.empty()) verdict.unmet.push_back(fmt::format("{}, {}", verdict.found, wrong));
  }

  void judge_keys() {
    Verdict& verdict = begin("keys", to_text(options_.keys));
    if (!timeline_.has_key()) {
      fail_usage("expect: ‹keys› {}: {} has no key: ‹key› COLUMN", to_text(options_.keys),
                 shown(timeline_.name()));
    }
    for (const auto& key : options_.keys) {
      const bool is_there = std::ranges::any_of(strands_, [&](const Strand& strand) {
        return strand.key == key || (strand.key && key_text(*strand.key) == key);
      });
      if (!is_there) verdict.unmet.push_back(fmt::format("there is no strand {}", shown(key)));
    }
    verdict.found = "all there";
  }

  /// Calls each(row) for every row that has one before it in its strand.
  template <typename Each>
  void for_each_step(Each&& each) const {
    for (const Strand& strand : strands_) {
      for (std::size_t row = strand.begin + 1; row < strand.end; ++row) each(row);
    }
  }

  void judge_unique() {
    Verdict& verdict = begin("unique", "");
    const auto times = timeline_.times();
    for_each_step([&](std::size_t row) {
      if (times[row] == times[row - 1]) {
        verdict.unmet.push_back(where(row) + "another record has this time");
      }
    });
    verdict.found = "no time is there twice";
  }

  std::string seconds(Instant from, Instant to) const {
    const double between = detail::seconds_between(from, to);
    const Axis& axis = timeline_.axis();
    if (axis.is_instants()) return length_text(between);
    return fmt::format("{:g} {}",
                       elapsed_number(to, *axis.elapsed) - elapsed_number(from, *axis.elapsed),
                       to_text(*axis.elapsed));
  }

  void judge_regular(const Period& period) {
    Verdict& verdict = begin("regular", to_text(period));
    check_on_axis(timeline_.axis(), period, "‹regular›");
    const auto times = timeline_.times();
    for_each_step([&](std::size_t row) {
      const Instant next = shift(times[row - 1], period, 1, timeline_.zone());
      if (next == times[row]) return;
      const bool late = next < times[row];
      verdict.unmet.push_back(fmt::format(
          "{}{} too {} after the one before", where(row),
          late ? seconds(next, times[row]) : seconds(times[row], next), late ? "long" : "soon"));
    });
    verdict.found = "every step";
  }

  void judge_gaps(const Period& period) {
    Verdict& verdict = begin("max_gap", to_text(period));
    check_on_axis(timeline_.axis(), period, "‹max_gap›");
    const auto times = timeline_.times();
    std::size_t longest = 0;
    for_each_step([&](std::size_t row) {
      const bool longer =
          longest == 0 || times[row] - times[row - 1] > times[longest] - times[longest - 1];
      if (longer) longest = row;
      const Instant latest = shift(times[row - 1], period, 1, timeline_.zone());
      if (times[row] <= latest) return;
      verdict.unmet.push_back(fmt::format("{}{} without a record until {}, {} too long",
                                          where(row - 1), seconds(times[row - 1], times[row]),
                                          at(row), seconds(latest, times[row])));
    });
    verdict.found = longest == 0 ? "no step"
                                 : fmt::format("the longest is {}",
                                               seconds(times[longest - 1], times[longest]));
  }

  void judge_coverage(double least) {
    Verdict& verdict = begin("coverage", to_text(least));
    double lowest = 1;
    for (std::size_t s = 0; s < timeline_.strands().size(); ++s) {
      const Strand& strand = timeline_.strands()[s];
      const double span = strand.size() == 0
                              ? 0
                              : detail::seconds_between(timeline_.times()[strand.begin],
                                                        timeline_.times()[strand.end - 1]);
      double gone = 0;
      for (const TimeSpan& gap : missing_spans(timeline_, s, nullptr)) {
        gone += detail::seconds_between(gap.start, gap.stop);
      }
      const double share = span > 0 ? 1 - gone / span : strand.size() > 0 ? 1 : 0;
      lowest = std::min(lowest, share);
      if (share < least) {
        verdict.unmet.push_back(fmt::format("{}{:.4g} of its span, {:.2g} too little", of(strand),
                                            share, least - share));
      }
    }
    if (timeline_.rows() == 0 && least > 0) verdict.unmet.emplace_back("there is no record");
    verdict.found = fmt::format("at least {:.4g}", lowest);
  }

  /// Judges each strand's first or last record; one without any does not meet the demand.
  template <typename Look>
  void judge_ends(Verdict& verdict, Look&& look) {
    if (strands_.empty()) verdict.unmet.emplace_back("there is no record");
    for (const Strand& strand : strands_) {
      if (strand.size() == 0) {
        verdict.unmet.push_back(of(strand) + "there is no record");
      } else {
        look(strand);
      }
    }
  }

  void judge_start(const Moment& moment) {
    Verdict& verdict = begin("starts_by", to_text(moment));
    const Instant wanted =
        moment_on(timeline_.axis(), timeline_.zone(), moment.text, "‹starts_by›");
    judge_ends(verdict, [&](const Strand& strand) {
      const Instant first = timeline_.times()[strand.begin];
      if (first <= wanted) return;
      verdict.unmet.push_back(fmt::format("{}the first record is at {}, {} too late", of(strand),
                                          at(strand.begin), seconds(wanted, first)));
    });
    verdict.found = "every strand";
  }

  void judge_end(const Moment& moment) {
    Verdict& verdict = begin("ends_after", to_text(moment));
    const Instant wanted =
        moment_on(timeline_.axis(), timeline_.zone(), moment.text, "‹ends_after›");
    judge_ends(verdict, [&](const Strand& strand) {
      const Instant last = timeline_.times()[strand.end - 1];
      if (last >= wanted) return;
      verdict.unmet.push_back(fmt::format("{}the last record is at {}, {} too early", of(strand),
                                          at(strand.end - 1), seconds(last, wanted)));
    });
    verdict.found = "every strand";
  }

  void judge_age(const Period& period) {
    Verdict& verdict = begin("fresh", to_text(period));
    need_instants(timeline_.axis(), "‹fresh›");
    const Instant now = std::chrono::time_point_cast<Nanoseconds>(std::chrono::system_clock::now());
    judge_ends(verdict, [&](const Strand& strand) {
      const Instant last = timeline_.times()[strand.end - 1];
      const Instant until = shift(last, period, 1, timeline_.zone());
      if (now <= until) return;
      verdict.unmet.push_back(fmt::format("{}the last record is of {}, {} too old", of(strand),
                                          at(strand.end - 1), seconds(until, now)));
    });
    verdict.found = "every strand";
  }

  void judge_missing(double most) {
    Verdict& verdict = begin("missing", to_text(most));
    const auto names = options_.on.empty() ? timeline_.values().names()
                                           : timeline_.values().chosen(options_.on, false);
    double greatest = 0;
    for (const auto& name : names) {
      const Column& column = timeline_.values().column(name);
      for (const Strand& strand : strands_) {
        if (strand.size() == 0) continue;
        std::int64_t count = 0;
        for (std::size_t i = strand.begin; i < strand.end && !column.validity().all(); ++i) {
          count += !column.valid(i);
        }
        const double share = static_cast<double>(count) / static_cast<double>(strand.size());
        greatest = std::max(greatest, share);
        if (share <= most) continue;
        verdict.unmet.push_back(
            fmt::format("{}column {}: {} of {} readings are missing, {:.4g}, {:.2g} too many",
                        of(strand), shown(name), grouped(count),
                        grouped(static_cast<std::int64_t>(strand.size())), share, share - most));
      }
    }
    verdict.found = fmt::format("at most {:.4g}", greatest);
  }

  void judge_range(const ColumnRange& range) {
    Verdict& verdict = begin("range", to_text(std::vector{range}));
    const Column column = timeline_.values().column(range.column).as_numbers();
    const auto numbers = column.numbers();
    std::optional<double> least, most;
    for (std::size_t row = 0; row < numbers.size(); ++row) {
      if (!column.valid(row)) continue;
      const double x = numbers[row];
      least = least ? std::min(*least, x) : x;
      most = most ? std::max(*most, x) : x;
      if (x < range.bounds.low) {
        verdict.unmet.push_back(
            fmt::format("{}{}, {:.6g} too low", where(row), x, range.bounds.low - x));
      } else if (x > range.bounds.high) {
        verdict.unmet.push_back(
            fmt::format("{}{}, {:.6g} too high", where(row), x, x - range.bounds.high));
      }
    }
    verdict.found = least ? fmt::format("{} to {}", *least, *most) : "no reading";
  }

  void judge_condition() {
    Verdict& verdict = begin("where", options_.where.text());
    Evaluated evaluated;
    try {
      evaluated = evaluate(options_.where, timeline_);
    } catch (const Error& error) {
      fail_usage("‹where›: {}", error.what());
    }
    const Column& holds = evaluated.column;
    if (holds.type() != Column::Type::boolean) {
      fail_usage("‹where› {}: is a number, not a condition", shown(options_.where.text()));
    }
    std::int64_t unknown = 0;
    for (std::size_t row = 0; row < holds.size(); ++row) {
      if (!holds.valid(row)) {
        ++unknown;
      } else if (!holds.boolean(row)) {
        verdict.unmet.push_back(where(row) + "it does not hold");
      }
    }
    verdict.found =
        unknown == 0 ? "at every row"
                     : fmt::format("at every row but {} at which it is missing", grouped(unknown));
  }

  const Timeline& timeline_;
  const Expect& options_;
  std::vector<Strand> strands_;
  std::vector<Verdict> verdicts_;
};

/// What is not met of one demand, and the first places.
std::string unmet_text(const Verdict& verdict) {
  constexpr std::size_t shown_places = 5;
  std::string text;
  for (std::size_t i = 0; i < std::min(shown_places, verdict.unmet.size()); ++i) {
    text += fmt::format("\n  {}: {}", verdict.demand, verdict.unmet[i]);
  }
  if (verdict.unmet.size() > shown_places) {
    text += fmt::format("\n  {}: and {} more", verdict.demand,
                        grouped(static_cast<std::int64_t>(verdict.unmet.size() - shown_places)));
  }
  return text;
}

void check(const Expect& options) {
  Expect none;
  none.warn = options.warn;
  none.on = options.on;
  if (options == none) {
    fail_usage(
        "expect: nothing is demanded; say what: ‹rows›, ‹strands›, ‹keys›, ‹regular›, ‹max_gap›, "
        "‹coverage›, ‹starts_by›, ‹ends_after›, ‹fresh›, ‹missing›, ‹range›, ‹where› or ‹unique›");
  }
  if (!options.on.empty() && !options.missing) {
    fail_usage("expect: ‹on› {}: is for ‹missing›", to_text(options.on));
  }
}

}  // namespace

Timeline expect(const Timeline& timeline, const Expect& options) {
  StepTimer timer(options, timeline);
  check(options);
  std::string unmet;
  std::int64_t count = 0;
  for (const Verdict& verdict : Judge(timeline, options).judge()) {
    if (verdict.unmet.empty()) {
      timer.note(fmt::format("{}: met: {}", verdict.demand, verdict.found));
      continue;
    }
    ++count;
    unmet += unmet_text(verdict);
    timer.note(fmt::format("{}: NOT met: {}{}", verdict.demand, verdict.unmet[0],
                           verdict.unmet.size() == 1
                               ? std::string()
                               : fmt::format(", and {} more", grouped(static_cast<std::int64_t>(
                                                                  verdict.unmet.size() - 1)))));
  }
  if (count > 0 && !options.warn) {
    throw Error(Error::Kind::limit, fmt::format("expect: {} {} not met:{}", count,
                                                count == 1 ? "demand is" : "demands are", unmet));
  }
  return timer.finish(timeline.parts());
}

void from_text(std::string_view text, CountRange& out) {
  const auto number = [&](std::string_view digits) -> std::optional<std::int64_t> {
    if (digits.empty()) return std::nullopt;
    std::int64_t value = 0;
    from_text(digits, value);
    if (value < 0) fail_usage("\"{}\": a count is not below 0", text);
    return value;
  };
  const std::size_t dots = text.find("..");
  CountRange range;
  if (dots == std::string_view::npos) {
    range.least = range.most = number(text);
  } else {
    range.least = number(text.substr(0, dots));
    range.most = number(text.substr(dots + 2));
  }
  if (!range.least && !range.most) {
    fail_usage("\"{}\" is no range; it is N, N.., ..N or N..M", shown(text));
  }
  if (range.least && range.most && *range.least > *range.most) {
    fail_usage("\"{}\": the first is greater than the second", text);
  }
  out = range;
}

std::string to_text(const CountRange& range) {
  if (range.least && range.most && *range.least == *range.most) {
    return fmt::to_string(*range.least);
  }
  return fmt::format("{}..{}", range.least ? fmt::to_string(*range.least) : "",
                     range.most ? fmt::to_string(*range.most) : "");
}

void from_text(std::string_view text, std::vector<ColumnRange>& out) {
  std::vector<ColumnRange> all;
  const auto words = split_commas(text);
  for (std::size_t i = 0; i < words.size(); i += 2) {
    const std::size_t quoted = words[i].starts_with('"') ? words[i].find('"', 1) : 0;
    const std::size_t colon = quoted == std::string::npos ? quoted : words[i].find(':', quoted);
    if (colon == std::string::npos || colon == 0 || i + 1 == words.size()) {
      fail_usage("\"{}\": a range is COLUMN:LO,HI, like level_m:0,5 or level_m:,5", shown(text));
    }
    ColumnRange range;
    const auto names = split_names(words[i].substr(0, colon));
    range.column = names.empty() ? "" : names[0];
    from_text(words[i].substr(colon + 1) + "," + words[i + 1], range.bounds);
    all.push_back(std::move(range));
  }
  out = std::move(all);
}

std::string to_text(const std::vector<ColumnRange>& ranges) {
  std::string text;
  for (const ColumnRange& range : ranges) {
    if (!text.empty()) text += ',';
    text += detail::quoted_where_needed(range.column, ",:") + ":" + to_text(range.bounds);
  }
  return text;
}

}  // namespace zerobeat
