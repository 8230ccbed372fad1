#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <zerobeat/regular/profile.hpp>

#include "base/wide.hpp"
#include "kernel/bucket/standing.hpp"
#include "kernel/bucket/taken.hpp"
#include "kernel/counters.hpp"
#include "kernel/sums.hpp"
#include "regular/buckets.hpp"
#include "regular/parts.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::PartRange;

constexpr double not_there = std::numeric_limits<double>::quiet_NaN();
constexpr std::int64_t no_cell = -1;
constexpr std::int64_t most_cells = 40'000'000;  // some three gigabytes

/// One side of the cross: the parts that rows are in, numbered from 0.
struct CrossedPart {
  Part part{};
  PartRange range{};
};

/// The cells of a profile: periods (one, unless there is `over`) by the crossed parts.
class Cells {
 public:
  Cells(const Timeline& timeline, const Profile& options) : timeline_(timeline), options_(options) {
    for (const Part& part : options.by) {
      if (std::ranges::count(options.by, part) > 1) {
        fail_usage("‹by› {}: {} is there twice", to_text(options.by), to_text(part));
      }
      axes_.push_back({part, detail::range_of(part.kind)});
      if (part.kind != Part::Kind::value) need_instants(timeline.axis(), "‹by› " + to_text(part));
      if (part.kind == Part::Kind::value) {
        const Column& column = timeline.values().column(part.amount.column);
        if (!column.is_numeric()) {
          fail_usage("‹by› {}: column \"{}\" holds {}, not numbers", to_text(part),
                     part.amount.column, to_text(column.type()));
        }
        values_.push_back(column.as_numbers());
      } else {
        values_.emplace_back();
      }
    }
    if (options.over) {
      check_on_axis(timeline.axis(), *options.over, "‹over›");
      grid_.emplace(*options.over, GridOptions{.zone = timeline.zone()});
    }
    find_ranges();
  }

  const std::vector<CrossedPart>& axes() const { return axes_; }
  std::size_t periods() const { return periods_.size(); }
  /// Cells of one period.
  std::size_t size() const { return size_; }

  /// The cell of each row, periods * size() of them; -1 when a value is missing.
  std::vector<std::int64_t> of_rows() const {
    std::vector<std::int64_t> cells(timeline_.rows());
    detail::PartReader reader(timeline_.zone(), week_starts());
    const auto times = timeline_.times();
    for (std::size_t i = 0; i < cells.size(); ++i) cells[i] = cell(reader, times[i], i);
    return cells;
  }

  /// The cell that an instant is in; there are no values.
  std::int64_t of_instant(detail::PartReader& reader, Instant t) const {
    return cell(reader, t, 0);
  }

  WeekStart week_starts() const { return options_.week_starts.value_or(WeekStart::mon); }

 private:
  void find_ranges() {
    detail::PartReader reader(timeline_.zone(), week_starts());
    const auto times = timeline_.times();
    std::optional<std::int64_t> first_period, last_period;
    for (const Strand& strand : timeline_.strands()) {
      if (strand.size() == 0 || !grid_) continue;
      const auto from = grid_->index_of(times[strand.begin]);
      const auto until = grid_->index_of(times[strand.end - 1]);
      first_period = std::min(first_period.value_or(from), from);
      last_period = std::max(last_period.value_or(until), until);
    }
    periods_ = grid_ && first_period ? PartRange{*first_period, *last_period} : PartRange{0, 0};
    Wide cells = static_cast<Wide>(periods_.last) - periods_.first + 1;
    for (std::size_t a = 0; a < axes_.size(); ++a) {
      CrossedPart& axis = axes_[a];
      if (axis.range.first > axis.range.last) axis.range = range_in_data(reader, a);
      cells *= static_cast<Wide>(axis.range.last) - axis.range.first + 1;
      if (cells * timeline_.strands().size() > most_cells) {
        fail_usage("‹by› {}: more than {} rows; take larger parts, or fewer of them",
                   to_text(options_.by), grouped(most_cells));
      }
      size_ *= axis.range.size();
    }
  }

  /// Dates, years and values go from the least to the greatest there is.
  PartRange range_in_data(detail::PartReader& reader, std::size_t a) const {
    PartRange range{0, -1};
    bool any = false;
    const auto take = [&](std::int64_t number) {
      range.first = any ? std::min(range.first, number) : number;
      range.last = any ? std::max(range.last, number) : number;
      any = true;
    };
    const CrossedPart& axis = axes_[a];
    for (const Strand& strand : timeline_.strands()) {
      if (strand.size() == 0) continue;
      if (axis.part.kind == Part::Kind::year || axis.part.kind == Part::Kind::date) {
        for (const std::size_t row : {strand.begin, strand.end - 1}) {
          reader.go_to(timeline_.times()[row]);
          take(reader.number(axis.part.kind));
        }
        continue;
      }
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        if (const auto number = value_number(a, i)) take(*number);
      }
    }
    return any ? range : PartRange{0, 0};
  }

  std::optional<std::int64_t> value_number(std::size_t a, std::size_t row) const {
    if (!values_[a].valid(row)) return std::nullopt;
    const double size = axes_[a].part.amount.size;
    const double value = values_[a].numbers()[row];
    double number = std::floor(value / size);
    // What the division rounds is put right: n·size <= value < (n + 1)·size.
    if (number * size > value) --number;
    if ((number + 1) * size <= value) ++number;
    if (!std::isfinite(value)) return std::nullopt;
    constexpr double furthest = 1e15;
    if (std::abs(number) > furthest) {
      fail_usage("‹by› {}: the value {} is too many buckets from 0; take larger ones",
                 to_text(axes_[a].part), value);
    }
    return static_cast<std::int64_t>(number);
  }

  std::int64_t cell(detail::PartReader& reader, Instant t, std::size_t row) const {
    reader.go_to(t);
    std::int64_t at = grid_ ? grid_->index_of(t) - periods_.first : 0;
    for (std::size_t a = 0; a < axes_.size(); ++a) {
      const CrossedPart& axis = axes_[a];
      std::int64_t number = 0;
      if (axis.part.kind == Part::Kind::value) {
        const auto own = value_number(a, row);
        if (!own) return no_cell;
        number = *own;
      } else {
        number = reader.number(axis.part.kind);
      }
      // A standing reading may reach into a year in which there is no record.
      if (number < axis.range.first || number > axis.range.last) return no_cell;
      at = at * static_cast<std::int64_t>(axis.range.size()) + number - axis.range.first;
    }
    return at;
  }

  const Timeline& timeline_;
  const Profile& options_;
  std::vector<CrossedPart> axes_;
  std::vector<Column> values_;  // of axes that go by values
  std::optional<Grid> grid_;
  PartRange periods_{};
  std::size_t size_ = 1;
};

/// The timeline's rows brought together by strand, period and cell, each such group a strand of its
/// own and one bucket.
struct Grouped {
  Timeline timeline;
  detail::Buckets buckets;
};

Grouped grouped_by(const Timeline& timeline, const std::vector<std::int64_t>& cells,
                   std::size_t cells_of_strand, const std::vector<Take>& takes) {
  const std::size_t groups = cells_of_strand * timeline.strands().size();
  std::vector<std::size_t> at(groups + 1, 0);
  const auto group_of = [&](std::size_t strand, std::size_t row) {
    return strand * cells_of_strand + static_cast<std::size_t>(cells[row]);
  };
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (cells[i] != no_cell) ++at[group_of(s, i) + 1];
    }
  }
  std::partial_sum(at.begin(), at.end(), at.begin());
  Timeline::Parts parts;
  parts.name = timeline.name();
  parts.time_name = timeline.time_name();
  parts.zone = timeline.zone();
  detail::Buckets buckets;
  // A bucket for each group; strands only for those that hold rows.
  buckets.all.reserve(groups);
  for (std::size_t g = 0; g < groups; ++g) {
    buckets.all.push_back({.begin = at[g],
                           .end = at[g + 1],
                           .strand = static_cast<std::uint32_t>(parts.strands.size())});
    if (at[g] < at[g + 1]) parts.strands.push_back({std::nullopt, at[g], at[g + 1]});
  }
  std::vector<std::int64_t> rows(at.back());
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (cells[i] != no_cell) rows[at[group_of(s, i)]++] = static_cast<std::int64_t>(i);
    }
  }
  parts.times = timeline.time_column().gather(rows);
  parts.values = Table(rows.size());
  for (const Take& take : takes) {
    for (const auto& name : {take.column, take.with}) {
      if (name.empty() || parts.values.find(name)) continue;
      parts.values.add(name, timeline.values().column(name).gather(rows));
    }
  }
  return {Timeline(std::move(parts)), std::move(buckets)};
}

/// Takes that go by how long readings stood: of small buckets on the time line, each within one
/// part, added up.
class StandingProfile {
 public:
  StandingProfile(const Timeline& timeline, const Cells& cells, const Profile& options)
      : timeline_(timeline), cells_(cells) {
    bool within_days = false, within_hours = false;
    for (const Part& part : options.by) {
      within_days |= part.kind == Part::Kind::hour;
      within_hours |= part.kind == Part::Kind::minute;
      if (part.kind == Part::Kind::value) {
        fail_usage(
            "‹by› {}: what stands until the next reading does not go by values; leave out "
            "twmean, integral, duration, up and down",
            to_text(options.by));
      }
    }
    // Clocks are apart by quarters of an hour, as long as there have been zones.
    const Period small = within_hours  ? Period(std::chrono::minutes(1))
                         : within_days ? Period(std::chrono::minutes(15))
                                       : Period::of_days(1);
    buckets_ = detail::find_buckets(timeline, Resample{.every = small}, small, true);
    detail::PartReader reader(timeline.zone(), cells.week_starts());
    const std::size_t of_strand = cells.periods() * cells.size();
    for (const auto& bucket : buckets_.all) {
      // The first bucket may start before the strand; what matters is where its readings are.
      const Instant t =
          std::max(bucket.start, timeline.times()[timeline.strands()[bucket.strand].begin]);
      const std::int64_t cell = cells.of_instant(reader, t);
      places_.push_back(
          cell == no_cell ? no_cell : static_cast<std::int64_t>(bucket.strand * of_strand) + cell);
    }
  }

  Column take(const Take& take) const {
    const std::size_t groups = timeline_.strands().size() * cells_.periods() * cells_.size();
    const Column& column = timeline_.values().column(take.column);
    if (row_of(take.stat).needs == Needs::before) {
      const auto counts =
          detail::changes_in(timeline_, buckets_, column, detail::change_counted(take.stat));
      Buffer<std::int64_t> out(groups, 0);
      std::vector<bool> any(groups);
      for (std::size_t i = 0; i < counts.size(); ++i) {
        if (places_[i] == no_cell) continue;
        const auto place = static_cast<std::size_t>(places_[i]);
        out[place] += counts[i];
        any[place] = any[place] || detail::count_readings(column, buckets_.all[i]) > 0;
      }
      ValidityBuilder validity(groups);
      for (std::size_t g = 0; g < groups; ++g) {
        if (!any[g]) validity.set_missing(g);
      }
      return Column::integers(std::move(out), validity.take());
    }
    const auto value = detail::stood_value(take.stat);
    const auto stood = row_of(take.stat).form == TakeForm::condition
                           ? detail::condition_in(timeline_, buckets_, column, take.condition)
                           : detail::stood_in(timeline_, buckets_, column, take.joining);
    std::vector<std::vector<double>> areas(groups), seconds(groups);
    for (std::size_t i = 0; i < stood.size(); ++i) {
      if (places_[i] == no_cell || stood[i].seconds == 0) continue;
      areas[static_cast<std::size_t>(places_[i])].push_back(stood[i].area);
      seconds[static_cast<std::size_t>(places_[i])].push_back(stood[i].seconds);
    }
    Buffer<double> out(groups);
    ValidityBuilder validity(groups);
    for (std::size_t g = 0; g < groups; ++g) {
      if (seconds[g].empty()) {
        validity.set_missing(g);
        out[g] = not_there;
        continue;
      }
      out[g] = value({detail::sum_of(seconds[g]).value(), detail::sum_of(areas[g]).value()}, 0);
    }
    return Column::numbers(std::move(out), validity.take());
  }

 private:
  const Timeline& timeline_;
  const Cells& cells_;
  detail::Buckets buckets_;
  std::vector<std::int64_t> places_;
};

/// A take of every period, and what it comes to over them.
void add_over(Table& table, const Take& take, const Column& column, std::size_t strands,
              std::size_t periods, std::size_t cells, std::vector<std::string>& names) {
  if (!column.is_numeric()) {
    fail_usage("{}: ‹over› takes means of numbers, and this is none", to_text(take));
  }
  const Column numbers = column.as_numbers();
  const std::size_t rows = strands * cells;
  Buffer<double> means(rows), stds(rows), least(rows), most(rows);
  Buffer<std::int64_t> n(rows);
  ValidityBuilder some(rows), two(rows);
  std::vector<double> own;
  for (std::size_t s = 0; s < strands; ++s) {
    for (std::size_t c = 0; c < cells; ++c) {
      own.clear();
      for (std::size_t p = 0; p < periods; ++p) {
        const std::size_t at = (s * periods + p) * cells + c;
        if (numbers.valid(at)) own.push_back(numbers.numbers()[at]);
      }
      const std::size_t row = s * cells + c;
      n[row] = static_cast<std::int64_t>(own.size());
      means[row] = stds[row] = least[row] = most[row] = 0;
      if (own.size() < 2) two.set_missing(row);
      if (own.empty()) {
        some.set_missing(row);
        continue;
      }
      means[row] = detail::sum_of(own).mean(own.size());
      if (own.size() > 1) stds[row] = std::sqrt(detail::variance_of(own));
      least[row] = detail::extremes_of(own).least;
      most[row] = detail::extremes_of(own).most;
    }
  }
  const Validity there = some.take();
  const auto add = [&](const std::string& name, Column made) { table.add(name, std::move(made)); };
  names.push_back(take.name);
  add(take.name, Column::numbers(std::move(means), there));
  add(take.name + "_std", Column::numbers(std::move(stds), two.take()));
  add(take.name + "_min", Column::numbers(std::move(least), there));
  add(take.name + "_max", Column::numbers(std::move(most), there));
  add(take.name + "_n", Column::integers(std::move(n)));
}

constexpr std::size_t days_of_week = 7;

/// The columns that say which strand and part a row is of.
void add_parts(const Timeline& timeline, const Cells& cells, ProfileTable& out) {
  const std::size_t strands = timeline.strands().size(), rows = strands * cells.size();
  if (timeline.has_key()) {
    auto words = std::make_shared<Column::Dictionary>();
    for (const Strand& strand : timeline.strands()) words->push_back(strand.key.value_or(""));
    Buffer<std::int32_t> codes(rows);
    for (std::size_t i = 0; i < rows; ++i) codes[i] = static_cast<std::int32_t>(i / cells.size());
    out.table.add(timeline.key_name(), Column::text(std::move(codes), words));
  }
  std::size_t inner = cells.size();
  for (const CrossedPart& axis : cells.axes()) {
    const std::size_t size = axis.range.size();
    inner /= size;
    const auto number = [&](std::size_t row) {
      return axis.range.first + static_cast<std::int64_t>(row / inner % size);
    };
    if (axis.part.kind == Part::Kind::value) {
      Buffer<double> from(rows), to(rows);
      for (std::size_t i = 0; i < rows; ++i) {
        from[i] = static_cast<double>(number(i)) * axis.part.amount.size;
        to[i] = static_cast<double>(number(i) + 1) * axis.part.amount.size;
      }
      const std::string& name = axis.part.amount.column;
      out.table.add(name + "_from", Column::numbers(std::move(from)));
      out.table.add(name + "_to", Column::numbers(std::move(to)));
      out.parts.push_back(name + "_from");
      continue;
    }
    const std::string name = to_text(axis.part);
    out.parts.push_back(name);
    if (axis.part.kind == Part::Kind::weekday) {
      auto words = std::make_shared<Column::Dictionary>();
      const auto days = enum_words(WeekStart{});
      for (std::size_t d = 0; d < days_of_week; ++d) {
        words->emplace_back(
            days[(d + static_cast<std::size_t>(cells.week_starts())) % days_of_week]);
      }
      Buffer<std::int32_t> codes(rows);
      for (std::size_t i = 0; i < rows; ++i) codes[i] = static_cast<std::int32_t>(number(i));
      out.table.add(name, Column::text(std::move(codes), words));
      continue;
    }
    Buffer<std::int64_t> numbers(rows);
    for (std::size_t i = 0; i < rows; ++i) numbers[i] = number(i);
    out.table.add(name, axis.part.kind == Part::Kind::date ? detail::column_of_dates(numbers.span())
                                                           : Column::integers(std::move(numbers)));
  }
}

}  // namespace

ProfileTable profile(const Timeline& given, const Profile& options) {
  detail::check_options(options);
  const auto start = std::chrono::steady_clock::now();
  if (options.by.empty())
    fail_usage("profile: say what it goes by: ‹by› hour, or ‹by› weekday,hour");
  auto takes =
      detail::plain_takes(resolve_takes(options.take, given.values(), Stat::mean, TakenBy::profiles,
                                        "profile", "", given.key_name()));
  const auto counters = detail::with_counter_steps(given, takes);
  if (counters) takes = counters->takes;
  const Timeline& timeline = counters ? counters->timeline : given;
  const Cells cells(timeline, options);
  const auto cell_of_row = cells.of_rows();
  const std::size_t of_strand = cells.periods() * cells.size();
  const Grouped groups = grouped_by(timeline, cell_of_row, of_strand, takes);

  std::vector<Take> of_rows, of_standing;
  for (const Take& take : takes) {
    (detail::goes_by_standing(take.stat) ? of_standing : of_rows).push_back(take);
  }
  auto taken = detail::take_all(groups.timeline, groups.buckets, of_rows, {});
  std::optional<StandingProfile> standing;
  if (!of_standing.empty()) standing.emplace(timeline, cells, options);

  ProfileTable out;
  out.name = timeline.name();
  out.zone = timeline.zone();
  out.key_name = timeline.key_name();
  const std::size_t strands = timeline.strands().size();
  out.table = Table(strands * cells.size());
  add_parts(timeline, cells, out);
  std::size_t row_take = 0;
  for (const Take& take : takes) {
    Column column = detail::goes_by_standing(take.stat) ? standing->take(take)
                                                        : std::move(taken.columns[row_take++]);
    if (options.over) {
      add_over(out.table, take, column, strands, cells.periods(), cells.size(), out.takes);
    } else {
      out.takes.push_back(take.name);
      out.table.add(take.name, std::move(column));
    }
  }
  if (counters) {
    out.table = detail::without_counter_steps(out.table);
    std::erase_if(out.takes, detail::is_of_counter_steps);
  }
  if (options.empty == Resample::Empty::skip) {
    std::vector<std::int64_t> rows;
    for (std::size_t s = 0; s < strands; ++s) {
      for (std::size_t c = 0; c < cells.size(); ++c) {
        bool any = false;
        for (std::size_t p = 0; p < cells.periods() && !any; ++p) {
          const auto& bucket = groups.buckets.all[(s * cells.periods() + p) * cells.size() + c];
          any = bucket.begin < bucket.end;
        }
        if (any) rows.push_back(static_cast<std::int64_t>(s * cells.size() + c));
      }
    }
    out.table = out.table.gather(rows);
  }
  out.account = timeline.account();
  StepAccount step;
  step.step = "profile";
  step.what = describe_options(options);
  step.rows_in = static_cast<std::int64_t>(timeline.rows());
  step.rows_out = static_cast<std::int64_t>(out.table.rows());
  const auto left_out = std::ranges::count(cell_of_row, no_cell);
  if (left_out > 0) {
    step.notes.push_back(
        fmt::format("{} records without a value to go by were left out", grouped(left_out)));
  }
  for (auto& note : taken.notes) step.notes.push_back(std::move(note));
  step.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  out.account.steps.push_back(std::move(step));
  // Of which column's readings each take is the mean, where it is one.
  std::vector<std::string> means_of;
  for (const auto& name : out.takes) {
    const auto take = std::ranges::find(takes, name, &Take::name);
    const bool is_mean = take != takes.end() && take->stat == Stat::mean && !options.over;
    means_of.push_back(is_mean ? take->column : std::string());
  }
  out.material = [given, parts = out.parts, taken_names = out.takes, means_of] {
    return Material{.timelines = {given},
                    .names = {{"parts", parts}, {"takes", taken_names}, {"means of", means_of}}};
  };
  return out;
}

Made apply(std::span<const Timeline> in, const Profile& options) {
  return Made(TableResult(profile(in[0], options)));
}

std::optional<std::vector<std::string>> columns_needed(const Profile& options, std::string_view) {
  auto names = columns_of(options.take);
  if (!names) return names;
  for (const Part& part : options.by) {
    if (part.kind == Part::Kind::value) names->push_back(part.amount.column);
  }
  return names;
}

Reach reach(const Profile&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
