#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <limits>
#include <set>
#include <unordered_map>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/table/step_timer.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/names.hpp"
#include "base/parallel.hpp"
#include "base/trim.hpp"
#include "time/civil_reader.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

/// The options that leave rows out, in the order in which they are asked.
enum class Why { between, first, last, keys, hours, weekdays, months, working, where };
constexpr std::array<std::string_view, 9> why_words{
    "between", "first", "last", "keys", "hours", "weekdays", "months", "working", "where"};
using LeftOut = std::array<std::int64_t, why_words.size()>;

/// The instants that remain, both inclusive: so both ends of all time are among them.
struct Limits {
  Instant from = Instant::min(), until = Instant::max();
  bool none = false;
};

/// The instant before which a range ends as the last one within it.
void end_before(Limits& limits, Instant end) {
  if (end == Instant::min()) {
    limits.none = true;
  } else {
    limits.until = std::min(limits.until, end - Nanoseconds(1));
  }
}

/// One range of time after the other; each of them says what it leaves out.
struct Ranges {
  std::array<Limits, 3> all{};  ///< of between, first and last
  std::array<bool, 3> given{};
};

Ranges ranges_of(const Timeline& timeline, const Select& options) {
  Ranges ranges;
  const auto put = [&](Why why, const Limits& limits) {
    ranges.all[static_cast<std::size_t>(why)] = limits;
    ranges.given[static_cast<std::size_t>(why)] = true;
  };
  const Zone& zone = timeline.zone();
  if (options.between) {
    Limits limits;
    if (!options.between->from.empty()) {
      limits.from = moment_on(timeline.axis(), zone, options.between->from, "‹between›");
    }
    if (!options.between->to.empty()) {
      const Instant end = moment_on(timeline.axis(), zone, options.between->to, "‹between›");
      if (end < limits.from) {
        fail_usage("‹between› {}: the first is later than the second", to_text(*options.between));
      }
      end_before(limits, end);
    }
    put(Why::between, limits);
  }
  const auto check = [&](const Period& period, const char* option) {
    if (period.is_zero()) fail_usage("{} 0: a stretch is longer than zero", option);
    check_on_axis(timeline.axis(), period, option);
  };
  if (options.first) check(*options.first, "‹first›");
  if (options.last) check(*options.last, "‹last›");
  if ((!options.first && !options.last) || timeline.rows() == 0) return ranges;
  Instant first = Instant::max(), last = Instant::min();
  for (const Strand& strand : timeline.strands()) {
    if (strand.size() == 0) continue;
    first = std::min(first, timeline.times()[strand.begin]);
    last = std::max(last, timeline.times()[strand.end - 1]);
  }
  if (options.first) {
    Limits limits;
    // An end beyond all instants leaves none of them out.
    const Instant end = shift(first, *options.first, 1, zone);
    if (end != Instant::max()) end_before(limits, end);
    put(Why::first, limits);
  }
  if (options.last) {
    Limits limits;
    const Instant from = shift(last, *options.last, -1, zone);
    limits.from = from == Instant::min() ? from : from + Nanoseconds(1);
    put(Why::last, limits);
  }
  return ranges;
}

/// What is looked up of each row by the zone's clocks.
class ByClock {
 public:
  explicit ByClock(const Timeline& timeline, const Select& options)
      : options_(options), calendar_(options.days.read().value_or(Calendar(Weekend{}, {}))) {
    const auto need = [&](bool given, const char* option) {
      if (given) need_instants(timeline.axis(), option);
      any_ |= given;
    };
    need(options.hours.has_value(), "‹hours›");
    need(options.weekdays.has_value(), "‹weekdays›");
    need(options.months.has_value(), "‹months›");
    need(options.working, "‹working›");
    if (options.hours) {
      from_ = options.hours->from.count() * 60;
      until_ = options.hours->until.count() * 60;
    }
  }

  bool any() const { return any_; }

  /// The first option that leaves the row out.
  std::optional<Why> leaves_out(const detail::CivilReader& at) const {
    if (options_.hours) {
      const std::int64_t second = at.second_of_day();
      const bool open =
          from_ < until_ ? second >= from_ && second < until_ : second >= from_ || second < until_;
      if (!open) return Why::hours;
    }
    if (options_.weekdays && !options_.weekdays->days[static_cast<std::size_t>(at.weekday() % 7)]) {
      return Why::weekdays;
    }
    if (options_.months && !options_.months->months[static_cast<std::size_t>(at.month())]) {
      return Why::months;
    }
    if (options_.working && !calendar_.is_working_day(at.date())) return Why::working;
    return std::nullopt;
  }

 private:
  const Select& options_;
  Calendar calendar_;
  bool any_ = false;
  std::int64_t from_ = 0, until_ = 0;
};

/// What is kept of one strand, and what was left out by which option.
struct Kept {
  std::vector<RowStretch> stretches;
  std::size_t rows = 0;
  LeftOut left_out{};
};

class Selecting {
 public:
  Selecting(const Timeline& timeline, const Select& options)
      : timeline_(timeline),
        options_(options),
        ranges_(ranges_of(timeline, options)),
        by_clock_(timeline, options) {
    if (!options.where.empty()) {
      try {
        where_ = rows_where(options.where, timeline, &not_finite_);
      } catch (const Error& error) {
        fail_usage("‹where›: {}", error.what());
      }
    }
    find_keys();
  }

  /// Rows of which the condition is missing because a number was not finite.
  std::int64_t not_finite() const { return not_finite_; }

  std::vector<Kept> run() const {
    std::vector<Kept> kept(timeline_.strands().size());
    detail::parallel_for(std::size_t{0}, kept.size(),
                         [&](std::size_t s) { kept[s] = of_strand(s); });
    return kept;
  }

 private:
  void find_keys() {
    if (options_.keys.empty()) return;
    if (!timeline_.has_key()) {
      fail_usage("‹keys› {}: there is no key; name the column that tells series apart: ‹key›",
                 to_text(options_.keys));
    }
    std::unordered_map<std::string, std::size_t> strand_of;
    for (std::size_t s = 0; s < timeline_.strands().size(); ++s) {
      const auto& key = timeline_.strands()[s].key;
      if (key) strand_of.emplace(key_text(*key), s);
    }
    wanted_.assign(timeline_.strands().size(), false);
    for (const auto& key : options_.keys) {
      const auto at = strand_of.find(key);
      if (at == strand_of.end()) {
        std::vector<std::string> names;
        for (const auto& [name, s] : strand_of) names.emplace_back(name);
        std::ranges::sort(names);
        fail_usage("‹keys›: there is no {} {}{}", key_text(timeline_.key_name()), shown(key),
                   did_you_mean(key, names));
      }
      wanted_[at->second] = true;
    }
  }

  Kept of_strand(std::size_t s) const {
    const Strand& strand = timeline_.strands()[s];
    Kept kept;
    std::size_t begin = strand.begin, end = strand.end;
    for (std::size_t r = 0; r < ranges_.all.size(); ++r) {
      if (!ranges_.given[r]) continue;
      const Limits& limits = ranges_.all[r];
      const auto times = timeline_.times().subspan(begin, end - begin);
      const auto from = limits.none ? times.end() : std::ranges::lower_bound(times, limits.from);
      const auto until = limits.none ? times.end() : std::ranges::upper_bound(times, limits.until);
      const std::size_t before = end - begin;
      const std::size_t first = begin;
      begin = first + static_cast<std::size_t>(from - times.begin());
      end = std::max(begin, first + static_cast<std::size_t>(until - times.begin()));
      kept.left_out[r] += static_cast<std::int64_t>(before - (end - begin));
    }
    if (!wanted_.empty() && !wanted_[s]) {
      kept.left_out[static_cast<std::size_t>(Why::keys)] += static_cast<std::int64_t>(end - begin);
      return kept;
    }
    if (begin == end) return kept;
    if (!by_clock_.any() && options_.where.empty()) {
      kept.stretches.push_back({begin, end});
      kept.rows = end - begin;
      return kept;
    }
    detail::CivilReader civil(timeline_.zone());
    const auto add = [&](std::size_t row) {
      if (!kept.stretches.empty() && kept.stretches.back().end == row) {
        ++kept.stretches.back().end;
      } else {
        kept.stretches.push_back({row, row + 1});
      }
      ++kept.rows;
    };
    for (std::size_t row = begin; row < end; ++row) {
      if (by_clock_.any()) {
        civil.go_to(timeline_.times()[row]);
        if (const auto why = by_clock_.leaves_out(civil)) {
          ++kept.left_out[static_cast<std::size_t>(*why)];
          continue;
        }
      }
      if (!options_.where.empty() && (where_[row / 64] >> (row % 64) & 1) == 0) {
        ++kept.left_out[static_cast<std::size_t>(Why::where)];
        continue;
      }
      add(row);
    }
    return kept;
  }

  const Timeline& timeline_;
  const Select& options_;
  Ranges ranges_;
  ByClock by_clock_;
  Buffer<std::uint64_t> where_;
  std::int64_t not_finite_ = 0;
  std::vector<bool> wanted_;
};

/// The columns that are wanted, in the order in which they are named, under their new names, and
/// what the times and the key are called.
void choose_columns(const Timeline& timeline, const Select& options, Timeline::Parts& parts) {
  if (options.columns.empty()) return;
  Table chosen(timeline.rows());
  std::vector<std::string> keys = timeline.key_names();
  std::set<std::string> renamed;
  const auto rename = [&](std::string& name, const ChosenColumn& asked) {
    if (!renamed.insert(asked.column).second) {
      fail_usage("‹columns›: {} is named twice", shown(asked.column));
    }
    name = asked.new_name();
  };
  for (const ChosenColumn& asked : options.columns) {
    // Time and key are always there.
    if (asked.column == timeline.time_name()) {
      rename(parts.time_name, asked);
    } else if (timeline.is_key_name(asked.column)) {
      const auto names = timeline.key_names();
      rename(keys[static_cast<std::size_t>(std::ranges::find(names, asked.column) - names.begin())],
             asked);
    } else {
      if (chosen.find(asked.new_name())) {
        fail_usage("‹columns›: {} is named twice", shown(asked.new_name()));
      }
      chosen.add(asked.new_name(), timeline.values().column(asked.column));
    }
  }
  std::vector<std::string> names = chosen.names();
  names.push_back(parts.time_name);
  names.insert(names.end(), keys.begin(), keys.end());
  std::ranges::sort(names);
  if (const auto twice = std::ranges::adjacent_find(names); twice != names.end()) {
    fail_usage("‹columns›: two columns would be called {}", shown(*twice));
  }
  if (!keys.empty()) parts.key_name = fmt::format("{}", fmt::join(keys, std::string(1, key_mark)));
  parts.values = std::move(chosen);
}

void note_left_out(const std::vector<Kept>& kept, StepTimer& timer) {
  LeftOut all{};
  for (const Kept& held : kept) {
    for (std::size_t i = 0; i < all.size(); ++i) all[i] += held.left_out[i];
  }
  std::string text;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (all[i] == 0) continue;
    text += fmt::format("{}{} by ‹{}›", text.empty() ? "" : ", ", grouped(all[i]), why_words[i]);
  }
  if (!text.empty()) timer.note("rows left out: " + text);
}

}  // namespace

void from_text(std::string_view text, Between& out) {
  const std::size_t comma = text.find(',');
  if (comma == std::string_view::npos || text.find(',', comma + 1) != std::string_view::npos) {
    fail_usage(
        "\"{}\" is no range; write it like 2025-10-20,2025-10-26, or 2025-10-20, with one "
        "side left out",
        text);
  }
  Between read{std::string(detail::trim(text.substr(0, comma))),
               std::string(detail::trim(text.substr(comma + 1)))};
  if (read.from.empty() && read.to.empty()) {
    fail_usage("\"{}\": both sides are open, which chooses everything", text);
  }
  for (const auto& side : {read.from, read.to}) {
    // On an elapsed axis it is a number.
    if (side.empty() || read_elapsed(side, ElapsedUnit::s)) continue;
    Moment moment;
    from_text(side, moment);
  }
  out = std::move(read);
}

void from_text(std::string_view text, std::vector<ChosenColumn>& out) {
  std::vector<ChosenColumn> all;
  for (const auto& part : split_commas(text)) {
    const auto sides = detail::split_outside_quotes(part, '=');
    if (sides.size() > 2 || (sides.size() == 2 && sides[0].empty())) {
      fail_usage("\"{}\" is no column, nor NAME=COLUMN; put a name that holds = in double quotes",
                 shown(part));
    }
    const std::string column = detail::unquoted(sides.back());
    all.push_back(sides.size() == 2 ? ChosenColumn(column, detail::unquoted(sides[0]))
                                    : ChosenColumn(column));
  }
  out = std::move(all);
}

std::string to_text(const std::vector<ChosenColumn>& columns) {
  std::string text;
  for (const ChosenColumn& asked : columns) {
    if (!text.empty()) text += ',';
    if (!asked.name.empty()) text += detail::quoted_where_needed(asked.name, ",=()") + "=";
    text += detail::quoted_where_needed(asked.column, ",=()");
  }
  return text;
}

std::string to_text(const Between& between) { return between.from + "," + between.to; }

Timeline select(const Timeline& timeline, const Select& options) {
  StepTimer timer(options, timeline);
  if (options.days.given() && !options.working) {
    fail_usage("‹holidays› and ‹weekend› go with ‹working›");
  }
  Timeline::Parts parts = timeline.parts();
  choose_columns(timeline, options, parts);
  const Selecting selecting(timeline, options);
  const auto kept = selecting.run();
  std::vector<RowStretch> stretches;
  std::vector<Strand> strands;
  std::size_t rows = 0;
  for (std::size_t s = 0; s < kept.size(); ++s) {
    for (const RowStretch& stretch : kept[s].stretches) {
      if (!stretches.empty() && stretches.back().end == stretch.begin) {
        stretches.back().end = stretch.end;
      } else {
        stretches.push_back(stretch);
      }
    }
    if (kept[s].rows > 0 || !timeline.has_key()) {
      strands.push_back({timeline.strands()[s].key, rows, rows + kept[s].rows});
    }
    rows += kept[s].rows;
  }
  if (rows < timeline.rows()) {
    parts.times = parts.times.gather(stretches);
    parts.values = parts.values.gather(stretches);
  }
  parts.strands = std::move(strands);
  note_left_out(kept, timer);
  if (selecting.not_finite() > 0) {
    timer.note(fmt::format("‹where›: {} results are not finite, and missing",
                           grouped(selecting.not_finite())));
  }
  return timer.finish(std::move(parts));
}

std::optional<std::vector<std::string>> columns_needed(const Select& options, std::string_view) {
  if (options.columns.empty()) return std::nullopt;
  std::vector<std::string> names;
  for (const ChosenColumn& asked : options.columns) names.push_back(asked.column);
  for (auto& name : options.where.columns()) names.push_back(std::move(name));
  return names;
}

std::optional<TimeRange> time_needed(const Select& options, const Zone& zone) {
  // A condition may look at a strand's first row.
  if (!options.between || options.first || options.last || !options.where.empty()) {
    return std::nullopt;
  }
  const Between& between = *options.between;
  TimeRange range;
  if (!between.from.empty()) range.from = Moment(between.from).in(zone);
  if (!between.to.empty()) range.until = Moment(between.to).in(zone);
  return range;
}

Reach reach(const Select& options) {
  Reach reach = options.where.reach();
  if (options.first) reach.back = ReachSide::whole();
  if (options.last) reach.ahead = ReachSide::whole();
  return reach;
}

}  // namespace zerobeat
