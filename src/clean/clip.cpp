#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/share.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "clean/outlier_judge.hpp"
#include "kernel/window/rows.hpp"
#include "table/made_columns.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::Outlier;
using detail::OutlierJudges;

void check(const Timeline& timeline, const Clip& options) {
  const bool judged = !std::holds_alternative<std::monostate>(options.by);
  if (!judged && !options.stuck) fail_usage("{}", Clip::ways);
  if (options.window && (!judged || std::holds_alternative<Bounds>(options.by))) {
    fail_usage("‹window› goes with what judges by its neighbourhood: {}",
               judged ? "fixed ‹bounds› have no window" : "‹stuck› alone has none");
  }
  const auto* shares = std::get_if<Quantiles>(&options.by);
  if (shares != nullptr &&
      !(shares->low >= 0 && shares->high <= 1 && shares->low <= shares->high)) {
    fail_usage("‹quantiles› {}: shares go from 0 to 1, the lower one first, like 0.01,0.99",
               to_text(*shares));
  }
  if (options.min_count < 1) {
    fail_usage("‹min_count› {}: at least 1 reading", options.min_count);
  }
  if (!judged && options.band) fail_usage("‹band› shows what judges; ‹stuck› alone has none");
  if (options.window) {
    detail::check_window(*options.window, Place::centred, "window");
    check_on_axis(timeline.axis(), *options.window, "‹window›");
  }
  if (options.stuck) {
    check_on_axis(timeline.axis(), *options.stuck, "‹stuck›");
    if (options.stuck->in_rows() ? options.stuck->rows < 2 : options.stuck->period.is_zero()) {
      fail_usage("‹stuck› {}: a run has two readings at least, or lasts", to_text(*options.stuck));
    }
  }
}

template <typename Rule>
void read_factor(std::string_view text, Rule& out) {
  Rule read;
  from_text(text, read.k);
  if (!(read.k > 0) || std::isinf(read.k)) fail_usage("\"{}\": a number above 0, like 3", text);
  out = read;
}

/// Whether a run of equal readings, from its first row to its last, is a stuck one.
bool is_stuck(std::span<const Instant> times, std::size_t first, std::size_t last,
              std::int64_t readings, const Extent& least, const Zone& zone) {
  if (least.in_rows()) return readings >= least.rows;
  return times[last] >= shift(times[first], least.period, 1, zone);
}

/// The rows, in order, whose readings repeat a stuck one.
template <typename Value>
std::vector<std::size_t> stuck_rows(const Timeline& timeline, const Column& column,
                                    std::span<const Value> values, const Extent& least) {
  std::vector<std::size_t> all, run;
  const auto close = [&] {
    if (run.size() > 1 && is_stuck(timeline.times(), run.front(), run.back(),
                                   static_cast<std::int64_t>(run.size()), least, timeline.zone())) {
      all.insert(all.end(), run.begin() + 1, run.end());
    }
    run.clear();
  };
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (!column.valid(row)) continue;
      if (!run.empty() && values[row] != values[run.back()]) close();
      run.push_back(row);
    }
    close();
  }
  return all;
}

std::vector<std::size_t> stuck_rows(const Timeline& timeline, const Column& column,
                                    const Extent& least) {
  if (column.type() == Column::Type::integer) {
    return stuck_rows(timeline, column, column.integers(), least);
  }
  return stuck_rows(timeline, column, column.numbers(), least);
}

/// A reading that changes, and to what; unset: missing.
struct Change {
  std::size_t row = 0;
  std::optional<double> after{};
  bool stuck = false;
};

/// The word of what judges outliers: the option's.
std::string judge_word(const Clip& options) {
  std::string word;
  const auto look = [&](const char* name, const auto& field, const auto&...) {
    if constexpr (requires { field.from->index(); }) {
      if (!to_text(field).empty()) word = name;
    }
  };
  fields(look, options);
  return word;
}

/// What stands in the place of outliers.
class Putter {
 public:
  Putter(const Timeline& timeline, const Column& numbers, const std::vector<Outlier>& outliers,
         Clip::Put put)
      : timeline_(timeline), numbers_(numbers), outliers_(outliers), put_(put) {
    if (put == Clip::Put::linear) find_neighbours();
  }

  /// Of the n-th outlier.
  std::optional<double> operator()(std::size_t n) const {
    const auto& [row, judge] = outliers_[n];
    switch (put_) {
      case Clip::Put::bound:
        return numbers_.numbers()[row] < judge.low ? judge.low : judge.high;
      case Clip::Put::level:
        return judge.centre;
      case Clip::Put::linear:
        return on_line(n);
      case Clip::Put::missing:
        break;
    }
    return std::nullopt;
  }

 private:
  /// Of each outlier the nearest reading before and after that is none; there is none: its own row.
  /// Those without a reading between them share theirs.
  void find_neighbours() {
    before_.resize(outliers_.size());
    after_.resize(outliers_.size());
    auto strand = timeline_.strands().begin();
    for (std::size_t n = 0; n < outliers_.size(); ++n) {
      const std::size_t row = outliers_[n].row;
      while (row >= strand->end) ++strand;
      const bool follows = n > 0 && outliers_[n - 1].row >= strand->begin;
      const std::size_t from = follows ? outliers_[n - 1].row + 1 : strand->begin;
      std::size_t at = row;
      while (at > from && !numbers_.valid(at - 1)) --at;
      const bool same = follows && before_[n - 1] != outliers_[n - 1].row;
      before_[n] = at > from ? at - 1 : same ? before_[n - 1] : row;
    }
    strand = timeline_.strands().end();
    for (std::size_t n = outliers_.size(); n-- > 0;) {
      const std::size_t row = outliers_[n].row;
      while (strand == timeline_.strands().end() || row < strand->begin) --strand;
      const bool follows = n + 1 < outliers_.size() && outliers_[n + 1].row < strand->end;
      const std::size_t until = follows ? outliers_[n + 1].row : strand->end;
      std::size_t at = row + 1;
      while (at < until && !numbers_.valid(at)) ++at;
      const bool same = follows && after_[n + 1] != outliers_[n + 1].row;
      after_[n] = at < until ? at : same ? after_[n + 1] : row;
    }
  }

  std::optional<double> on_line(std::size_t n) const {
    const std::size_t row = outliers_[n].row, before = before_[n], after = after_[n];
    if (before == row && after == row) return std::nullopt;
    const double a = numbers_.numbers()[before == row ? after : before];
    const double b = numbers_.numbers()[after == row ? before : after];
    if (a == b || before == row || after == row) return a;
    const auto times = timeline_.times();
    const double whole = detail::seconds_between(times[before], times[after]);
    const double share = whole > 0 ? detail::seconds_between(times[before], times[row]) / whole : 0;
    return a * (1 - share) + b * share;
  }

  const Timeline& timeline_;
  const Column& numbers_;
  const std::vector<Outlier>& outliers_;
  Clip::Put put_;
  std::vector<std::size_t> before_, after_;
};

/// Whether a whole number holds it exactly, and a double tells it from its neighbours.
bool is_whole(double value) { return value == std::floor(value) && std::fabs(value) <= 9.007e15; }

/// The column with what changed.
Column changed(const Column& original, const std::vector<Change>& changes) {
  ValidityBuilder validity(original.size());
  bool any_missing = !original.validity().all(), whole = true;
  for (const Change& change : changes) {
    any_missing |= !change.after;
    whole &= !change.after || is_whole(*change.after);
  }
  if (any_missing) {
    for (std::size_t row = 0; row < original.size(); ++row) {
      if (!original.valid(row)) validity.set_missing(row);
    }
    for (const Change& change : changes) {
      if (!change.after) validity.set_missing(change.row);
    }
  }
  if (original.type() == Column::Type::integer && whole) {
    Buffer<std::int64_t> values(original.integers());
    for (const Change& change : changes) {
      if (change.after) values[change.row] = static_cast<std::int64_t>(*change.after);
    }
    return Column::integers(std::move(values), validity.take());
  }
  const Column numbers = original.as_numbers();
  Buffer<double> values(numbers.numbers());
  for (const Change& change : changes) {
    if (change.after) values[change.row] = *change.after;
  }
  return Column::numbers(std::move(values), validity.take());
}

void add_band(Table& values, const std::string& name, OutlierJudges& judges) {
  const auto side = [&](Buffer<double>& bounds) {
    ValidityBuilder validity(bounds.size());
    for (std::size_t row = 0; row < bounds.size(); ++row) {
      if (!std::isfinite(bounds[row])) validity.set_missing(row);
    }
    return Column::numbers(std::move(bounds), validity.take());
  };
  values.add(name + "_low", side(judges.low));
  values.add(name + "_high", side(judges.high));
}

/// Clips one column; the changes in order of rows.
std::vector<Change> changes_of(const Timeline& timeline, const Column& original,
                               const Clip& options, const std::string& name, StepTimer& timer,
                               Table& values) {
  std::vector<std::size_t> stuck;
  if (options.stuck) stuck = stuck_rows(timeline, original, *options.stuck);
  std::vector<Change> changes;
  for (const std::size_t row : stuck) changes.push_back({row, std::nullopt, true});
  if (!stuck.empty()) {
    timer.note(fmt::format("{}: {} readings were stuck", shown(name),
                           grouped(static_cast<std::int64_t>(stuck.size()))));
  }
  if (std::holds_alternative<std::monostate>(options.by)) return changes;

  const Column numbers = detail::without_rows(original, stuck);
  OutlierJudges judges = detail::judges_of(timeline, numbers, options);
  const auto told = [&](std::int64_t readings, std::string_view why) {
    if (readings > 0) {
      timer.note(
          fmt::format("{}: {} readings were not judged: {}", shown(name), grouped(readings), why));
    }
  };
  told(judges.of_few, fmt::format("fewer than {} around them", options.min_count));
  told(judges.without_spread, "those around them have no spread");
  const Putter put(timeline, numbers, judges.outliers, options.put);
  for (std::size_t n = 0; n < judges.outliers.size(); ++n) {
    changes.push_back({judges.outliers[n].row, put(n)});
  }
  std::ranges::sort(changes, {}, &Change::row);
  if (options.band) add_band(values, name, judges);
  return changes;
}

}  // namespace

void from_text(std::string_view text, Quantiles& out) {
  const auto parts = split_commas(text);
  if (parts.size() != 2) fail_usage("\"{}\" is not two shares; write it like 0.01,0.99", text);
  const Quantiles read{share_from(parts[0]), share_from(parts[1])};
  if (read.low > read.high) fail_usage("\"{}\": the lower one comes first", text);
  out = read;
}

std::string to_text(const Quantiles& quantiles) {
  return fmt::format("{},{}", quantiles.low, quantiles.high);
}

void from_text(std::string_view text, Spread& out) { read_factor(text, out); }
void from_text(std::string_view text, Deviations& out) { read_factor(text, out); }
void from_text(std::string_view text, Fences& out) { read_factor(text, out); }
std::string to_text(const Spread& rule) { return to_text(rule.k); }
std::string to_text(const Deviations& rule) { return to_text(rule.k); }
std::string to_text(const Fences& rule) { return to_text(rule.k); }

Timeline clip(const Timeline& timeline, const Clip& options, std::vector<ClipChange>* changes) {
  check(timeline, options);
  StepTimer timer(options, timeline);
  const auto names = timeline.values().chosen(options.on);
  Timeline::Parts parts = timeline.parts();
  const std::size_t rows = timeline.rows();
  for (const auto& name : names) {
    const std::size_t place = timeline.values().place(name);
    const Column& original = timeline.values().columns()[place];
    Table added(rows);
    const std::string judge = judge_word(options);
    const auto own = changes_of(timeline, original, options, name, timer, added);
    timer.clipped(static_cast<std::int64_t>(own.size()));
    if (changes != nullptr) {
      const Column numbers = original.as_numbers();
      auto strand = timeline.strands().begin();
      for (const Change& change : own) {
        while (change.row >= strand->end) ++strand;
        changes->push_back({timeline.times()[change.row], strand->key, name,
                            numbers.numbers()[change.row], change.after,
                            change.stuck ? "stuck" : judge});
      }
    }
    if (!own.empty()) parts.values.replace(place, changed(original, own));
    if (options.flag) {
      Buffer<std::uint64_t> flags((rows + 63) / 64, 0);
      for (const Change& change : own) {
        flags[change.row / 64] |= std::uint64_t{1} << (change.row % 64);
      }
      parts.values.add(name + "_clipped", Column::booleans(std::move(flags), rows));
    }
    for (std::size_t c = 0; c < added.names().size(); ++c) {
      parts.values.add(added.names()[c], added.columns()[c]);
    }
  }
  return timer.finish(std::move(parts));
}

namespace {

/// time, key, column, before, after, why: a row for each change.
Table table_of(std::span<const ClipChange> changes, const Timeline& timeline) {
  const std::size_t rows = changes.size();
  Buffer<Instant> times(rows);
  Buffer<std::int32_t> keys(rows), columns(rows);
  Buffer<double> before(rows), after(rows);
  ValidityBuilder with_key(rows), with_after(rows);
  auto key_words = std::make_shared<Column::Dictionary>();
  auto column_words = std::make_shared<Column::Dictionary>(timeline.values().names());
  for (const Strand& strand : timeline.strands())
    key_words->push_back(key_text(strand.key.value_or("")));
  std::size_t key = 0, column = 0;
  for (std::size_t i = 0; i < rows; ++i) {
    const ClipChange& change = changes[i];
    // Changes come column by column, and of each strand by strand.
    while ((*column_words)[column] != change.column) {
      column = (column + 1) % column_words->size();
      key = 0;
    }
    while (timeline.strands()[key].key != change.key) key = (key + 1) % key_words->size();
    times[i] = change.time;
    keys[i] = static_cast<std::int32_t>(key);
    columns[i] = static_cast<std::int32_t>(column);
    before[i] = change.before;
    after[i] = change.after.value_or(0);
    if (!change.key || change.key->empty()) with_key.set_missing(i);
    if (!change.after) with_after.set_missing(i);
  }
  Table table(rows);
  table.add("time", on_axis(Column::times(std::move(times)), timeline.axis()));
  table.add("key", Column::text(std::move(keys), std::move(key_words), with_key.take()));
  table.add("column", Column::text(std::move(columns), std::move(column_words)));
  table.add("before", Column::numbers(std::move(before)));
  table.add("after", Column::numbers(std::move(after), with_after.take()));
  std::vector<std::string> why;
  for (const ClipChange& change : changes) why.push_back(change.why);
  table.add("why", detail::column_of_words(why));
  return table;
}

}  // namespace

Made apply(std::span<const Timeline> in, const Clip& options) {
  if (options.changes.empty()) return Made(clip(in[0], options));
  std::vector<ClipChange> changes;
  Made made(clip(in[0], options, &changes));
  made.beside.push_back({options.changes, table_of(changes, in[0])});
  return made;
}

Reach reach(const Clip& options) {
  // How long a run of equal readings lasts, and a line's ends, may lie anywhere.
  const bool fixed = std::holds_alternative<Bounds>(options.by) && options.put != Clip::Put::level;
  if (options.stuck || options.put == Clip::Put::linear || (!fixed && !options.window)) {
    return {ReachSide::whole(), ReachSide::whole()};
  }
  if (fixed) return {};
  const Extent& window = *options.window;
  if (window.in_rows()) {
    const auto side = [](std::int64_t rows) {
      return rows == 0 ? ReachSide::none() : ReachSide::of(Extent(rows));
    };
    return {side(window.rows / 2), side((window.rows - 1) / 2)};
  }
  return {ReachSide::of(half_of(window.period)), ReachSide::of(half_of(window.period))};
}

}  // namespace zerobeat
