#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "base/wide.hpp"
#include "clean/filling.hpp"
#include "clean/gap_values.hpp"
#include "table/reading_search.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::Filled;
using detail::no_filling;

/// A run of missing rows within a strand, and the readings at its sides (-1: there is none).
struct Gap {
  std::size_t begin = 0, end = 0;
  std::int64_t before = -1, after = -1;

  bool is_inner() const { return before >= 0 && after >= 0; }
};

/// The rows that a gap's length is from and to.
std::pair<std::size_t, std::size_t> sides_of(const Gap& gap, const Strand& strand) {
  return {gap.before >= 0 ? static_cast<std::size_t>(gap.before) : strand.begin,
          gap.after >= 0 ? static_cast<std::size_t>(gap.after) : strand.end - 1};
}

bool is_short_enough(const Gap& gap, const Strand& strand, std::span<const Instant> times,
                     const Fill& options, const Zone& zone) {
  if (!options.max_gap) return true;
  if (options.max_gap->in_rows()) {
    return static_cast<std::int64_t>(gap.end - gap.begin) <= options.max_gap->rows;
  }
  const auto [from, until] = sides_of(gap, strand);
  return times[until] <= shift(times[from], options.max_gap->period, 1, zone);
}

/// Between instants as far apart as can be, too.
Wide between(Instant from, Instant to) { return Wide(nanoseconds_of(to)) - nanoseconds_of(from); }

/// Whether a method takes a reading as it is, of whatever type.
bool takes_rows(const Fill::Method& how) {
  const auto* word = std::get_if<Fill::How>(&how);
  return word != nullptr &&
         (*word == Fill::How::previous || *word == Fill::How::next || *word == Fill::How::nearest);
}

/// The row whose reading a missing row gets, or -1.
std::int64_t row_for(std::size_t row, const Gap& gap, std::span<const Instant> times,
                     const Fill& options, Fill::How how) {
  const auto time = [&](std::int64_t at) { return times[static_cast<std::size_t>(at)]; };
  if (!gap.is_inner() && options.ends == Fill::Ends::hold) {
    return gap.before >= 0 ? gap.before : gap.after;
  }
  if (how == Fill::How::previous) return gap.before;
  if (how == Fill::How::next) return gap.after;
  if (!gap.is_inner()) return -1;
  const bool earlier =
      between(time(gap.before), times[row]) <= between(times[row], time(gap.after));
  return earlier ? gap.before : gap.after;
}

/// The gaps of a strand of a column that lacks readings.
template <typename Put>
void for_each_gap(const Column& column, const Strand& strand, Put&& put) {
  const std::uint64_t* const bits = column.validity().bits();
  for (std::size_t i = strand.begin;;) {
    const std::size_t begin = detail::next_row(bits, i, strand.end, false);
    if (begin == strand.end) return;
    const std::size_t end = detail::next_row(bits, begin, strand.end, true);
    Gap gap{begin, end};
    if (begin > strand.begin) gap.before = static_cast<std::int64_t>(begin) - 1;
    if (end < strand.end) gap.after = static_cast<std::int64_t>(end);
    put(gap);
    i = end;
  }
}

/// The line between the readings at a gap's sides.
class Line {
 public:
  Line(const Gap& gap, std::span<const double> values, std::span<const Instant> times)
      : times_(times) {
    if (!gap.is_inner()) return;
    from_ = times[static_cast<std::size_t>(gap.before)];
    a_ = values[static_cast<std::size_t>(gap.before)];
    b_ = values[static_cast<std::size_t>(gap.after)];
    whole_ = detail::seconds_between(from_, times[static_cast<std::size_t>(gap.after)]);
  }
  double operator()(std::size_t row) const {
    if (a_ == b_) return a_;
    const double share = whole_ > 0 ? detail::seconds_between(from_, times_[row]) / whole_ : 0;
    return a_ * (1 - share) + b_ * share;
  }

 private:
  std::span<const Instant> times_;
  Instant from_{};
  double a_ = no_filling, b_ = no_filling, whole_ = 0;
};

/// Fills one column, and keeps the books.
class ColumnFiller {
 public:
  ColumnFiller(const Timeline& timeline, const Column& column, const Fill& options,
               const Fill::Method& how, const Column* like)
      : timeline_(timeline),
        column_(takes_rows(how) ? column : column.as_numbers()),
        options_(options),
        how_(how),
        like_(like) {
    out_.flags = Buffer<std::uint64_t>((timeline.rows() + 63) / 64, 0);
  }

  Filled operator()(const Column& original) {
    out_.column = original;
    if (original.validity().all()) return std::move(out_);
    if (takes_rows(how_)) {
      take_rows();
    } else {
      put_values(original);
    }
    return std::move(out_);
  }

 private:
  std::span<const Instant> times() const { return timeline_.times(); }

  bool may_fill(const Gap& gap, const Strand& strand) const {
    return is_short_enough(gap, strand, times(), options_, timeline_.zone());
  }

  void mark(std::size_t row) {
    ++out_.cells;
    out_.flags[row / 64] |= std::uint64_t{1} << (row % 64);
  }

  /// Notes a gap of which so many rows were filled.
  void note(const Gap& gap, const Strand& strand, std::int64_t filled) {
    const auto [from, until] = sides_of(gap, strand);
    const double length = detail::seconds_between(times()[from], times()[until]);
    const bool whole = filled == static_cast<std::int64_t>(gap.end - gap.begin);
    if (filled > 0) out_.longest_filled_s = std::max(out_.longest_filled_s, length);
    if (whole) return;
    ++out_.open_gaps;
    out_.longest_open_s = std::max(out_.longest_open_s, length);
  }

  void take_rows() {
    std::vector<std::int64_t> from(timeline_.rows());
    for (std::size_t i = 0; i < from.size(); ++i) from[i] = static_cast<std::int64_t>(i);
    for (const Strand& strand : timeline_.strands()) {
      for_each_gap(column_, strand, [&](const Gap& gap) {
        std::int64_t filled = 0;
        for (std::size_t row = gap.begin; row < gap.end && may_fill(gap, strand); ++row) {
          const std::int64_t source =
              row_for(row, gap, times(), options_, std::get<Fill::How>(how_));
          if (source < 0) continue;
          from[row] = source;
          mark(row);
          ++filled;
        }
        note(gap, strand, filled);
      });
    }
    if (out_.cells > 0) out_.column = column_.gather(from);
  }

  void put_values(const Column& original) {
    std::vector<detail::GapValues> all(timeline_.strands().size());
    // Lines are drawn where they are put.
    detail::parallel_for(std::size_t{0}, is_linear() ? 0 : all.size(), [&](std::size_t s) {
      all[s] =
          detail::gap_values({&timeline_, &column_, timeline_.strands()[s]}, options_, how_, like_);
    });
    Buffer<double> values(column_.numbers());
    for (std::size_t s = 0; s < all.size(); ++s) put_strand(timeline_.strands()[s], all[s], values);
    if (out_.cells == 0) return;
    Buffer<std::uint64_t> there(out_.flags.size());
    for (std::size_t word = 0; word < there.size(); ++word) {
      there[word] = out_.flags[word] | column_.validity().bits()[word];
    }
    Validity validity(std::move(there), timeline_.rows());
    // A whole constant leaves whole numbers whole.
    const auto* constant = std::get_if<Fill::Constant>(&how_);
    const bool whole = original.type() == Column::Type::integer && constant != nullptr &&
                       constant->value == std::floor(constant->value) &&
                       std::fabs(constant->value) < 9e15;
    if (whole && options_.ends == Fill::Ends::open) {
      Buffer<std::int64_t> integers(original.integers());
      for (std::size_t row = 0; row < integers.size(); ++row) {
        const bool filled = (out_.flags[row / 64] >> (row % 64) & 1) != 0;
        if (filled) integers[row] = static_cast<std::int64_t>(constant->value);
      }
      out_.column = Column::integers(std::move(integers), std::move(validity));
    } else {
      out_.column = Column::numbers(std::move(values), std::move(validity));
    }
  }

  bool is_linear() const {
    const auto* word = std::get_if<Fill::How>(&how_);
    return word != nullptr && *word == Fill::How::linear;
  }

  void put_strand(const Strand& strand, const detail::GapValues& gap_values,
                  Buffer<double>& values) {
    if (!gap_values.note.empty()) {
      out_.notes.push_back(strand.key ? shown(*strand.key) + ": " + gap_values.note
                                      : gap_values.note);
    }
    const bool linear = is_linear();
    for_each_gap(column_, strand, [&](const Gap& gap) {
      std::int64_t here = 0;
      const Line line(gap, column_.numbers(), times());
      const std::size_t end = may_fill(gap, strand) ? gap.end : gap.begin;
      for (std::size_t row = gap.begin; row < end; ++row) {
        const std::size_t i = row - strand.begin;
        double value = linear ? line(row) : gap_values.values[i];
        if (!std::isfinite(value) && options_.ends == Fill::Ends::hold) {
          value = held(gap, gap_values, i, values);
        }
        if (!std::isfinite(value)) continue;
        values[row] = value;
        mark(row);
        ++here;
      }
      note(gap, strand, here);
    });
  }

  /// At a strand's end the nearest reading; under seasonal what is left there, and the season.
  static double held(const Gap& gap, const detail::GapValues& gap_values, std::size_t i,
                     const Buffer<double>& values) {
    if (gap.is_inner() || (gap.before < 0 && gap.after < 0)) return no_filling;
    if (!gap_values.held_before.empty())
      return gap.before < 0 ? gap_values.held_before[i] : gap_values.held_after[i];
    return values[static_cast<std::size_t>(gap.before >= 0 ? gap.before : gap.after)];
  }

  const Timeline& timeline_;
  Column column_;
  const Fill& options_;
  const Fill::Method& how_;
  const Column* like_;
  Filled out_;
};

Fill::Method method_from(std::string_view text) {
  const auto after = [&](std::string_view word) -> std::optional<std::string_view> {
    if (!text.starts_with(word) || text.size() == word.size() || text[word.size()] != ':') {
      return std::nullopt;
    }
    return text.substr(word.size() + 1);
  };
  if (const auto value = after("constant")) {
    Fill::Constant read;
    from_text(*value, read.value);
    return read;
  }
  if (const auto period = after("seasonal")) {
    Fill::Seasonal read;
    from_text(*period, read.period);
    if (read.period.is_zero())
      fail_usage("\"{}\": the season has a length, like seasonal:1d", text);
    return read;
  }
  if (const auto column = after("like")) return Fill::Like{std::string(*column)};
  if (text == "constant") fail_usage("constant needs its value: constant:0");
  if (text == "seasonal") fail_usage("seasonal needs its period: seasonal:1d");
  if (text == "like") fail_usage("like needs its column: like:level_m");
  const auto words = enum_words(Fill::How{});
  const auto known = std::ranges::find(words, text);
  if (known != words.end()) return static_cast<Fill::How>(known - words.begin());
  static constexpr Synonym synonyms[] = {{"cubic", "spline"},
                                         {"forward", "previous"},
                                         {"backward", "next"},
                                         {"average", "mean"},
                                         {"interpolate", "linear"}};
  std::vector<std::string> candidates(words.begin(), words.end());
  for (const char* more : {"constant:V", "seasonal:PERIOD", "like:COLUMN"}) {
    candidates.emplace_back(more);
  }
  fail_usage("\"{}\" is not a choice{}", shown(text), did_you_mean(text, candidates, synonyms));
}

bool is_windowed(const Fill::Method& how) {
  const auto* word = std::get_if<Fill::How>(&how);
  return word != nullptr && (*word == Fill::How::mean || *word == Fill::How::median);
}

}  // namespace

namespace detail {

void check_filling(const Timeline& timeline, const Fill& options,
                   std::span<const Fill::Method> methods) {
  if (options.max_gap) check_on_axis(timeline.axis(), *options.max_gap, "‹max_gap›");
  if (options.window) {
    check_on_axis(timeline.axis(), *options.window, "‹window›");
    check_window(*options.window, Place::centred, "window");
    if (std::ranges::none_of(methods, is_windowed)) {
      fail_usage("‹window› {}: it is of mean and median", to_text(*options.window));
    }
  }
  for (const Fill::Method& how : methods) {
    if (const auto* seasonal = std::get_if<Fill::Seasonal>(&how)) {
      check_on_axis(timeline.axis(), seasonal->period, "seasonal");
    }
    if (const auto* like = std::get_if<Fill::Like>(&how)) {
      if (!timeline.values().column(like->column).is_numeric()) {
        fail_usage("like:{}: it holds {}, not numbers", shown(like->column),
                   to_text(timeline.values().column(like->column).type()));
      }
    }
  }
}

std::vector<std::string> filled_names(const Timeline& timeline, const Fill& options,
                                      std::span<const Fill::Method> methods) {
  const bool any_type = std::ranges::all_of(methods, takes_rows);
  auto names = timeline.values().chosen(options.on, !any_type);
  for (const Fill::Method& how : methods) {
    const auto* like = std::get_if<Fill::Like>(&how);
    if (like == nullptr) continue;
    // A column is not filled by itself, unless that was asked by name.
    if (!options.on.empty() && std::ranges::find(names, like->column) != names.end()) {
      fail_usage("like:{}: a column can't be filled by itself", shown(like->column));
    }
    std::erase(names, like->column);
  }
  return names;
}

Filled filled(const Timeline& timeline, const Column& column, const Fill& options,
              const Fill::Method& how) {
  std::optional<Column> like;
  if (const auto* own = std::get_if<Fill::Like>(&how)) {
    like = timeline.values().column(own->column).as_numbers();
  }
  return ColumnFiller(timeline, column, options, how, like ? &*like : nullptr)(column);
}

}  // namespace detail

void from_text(std::string_view text, Fill::Method& out) { out = method_from(text); }

std::string to_text(const Fill::Method& how) {
  if (const auto* constant = std::get_if<Fill::Constant>(&how)) {
    return fmt::format("constant:{}", constant->value);
  }
  if (const auto* seasonal = std::get_if<Fill::Seasonal>(&how)) {
    return "seasonal:" + to_text(seasonal->period);
  }
  if (const auto* like = std::get_if<Fill::Like>(&how)) return "like:" + like->column;
  return to_text(std::get<Fill::How>(how));
}

void from_text(std::string_view text, std::vector<Fill::Method>& out) {
  std::vector<Fill::Method> read;
  for (const auto& part : split_commas(text)) read.push_back(method_from(part));
  out = std::move(read);
}

std::string to_text(const std::vector<Fill::Method>& methods) {
  std::string text;
  for (const auto& how : methods) text += (text.empty() ? "" : ",") + to_text(how);
  return text;
}

Timeline fill(const Timeline& timeline, const Fill& options) {
  if (makes_table(options)) fail_usage("‹try› makes a table; see try_fill()");
  if (options.hide || options.seed) fail_usage("‹hide› and ‹seed› go with ‹try›");
  StepTimer timer(options, timeline);
  const std::span<const Fill::Method> methods(&options.how, 1);
  detail::check_filling(timeline, options, methods);
  Timeline::Parts parts = timeline.parts();
  for (const auto& name : detail::filled_names(timeline, options, methods)) {
    const std::size_t place = timeline.values().place(name);
    Filled filled =
        detail::filled(timeline, timeline.values().columns()[place], options, options.how);
    timer.filled(filled.cells);
    parts.values.replace(place, std::move(filled.column));
    if (filled.cells > 0 || filled.open_gaps > 0) timer.note(shown(name) + ": " + told(filled));
    for (const auto& note : filled.notes) timer.note(shown(name) + ": " + note);
    if (options.flag) {
      parts.values.add(name + "_filled",
                       Column::booleans(std::move(filled.flags), timeline.rows()));
    }
  }
  return timer.finish(std::move(parts));
}

std::string detail::told(const Filled& filled) {
  std::string text = fmt::format("{} filled", grouped(filled.cells));
  if (filled.cells > 0) text += ", the longest gap " + length_text(filled.longest_filled_s);
  if (filled.open_gaps > 0) {
    text += fmt::format("; {} {} open, the longest {}", grouped(filled.open_gaps),
                        filled.open_gaps == 1 ? "gap stays" : "gaps stay",
                        length_text(filled.longest_open_s));
  }
  return text;
}

namespace {

/// Of each column that was tried a table of its hidden rows: which row, and what each way put
/// there; the ways' names, and by column the one that came nearest.
Material material_of(const Timeline& timeline, const Fill& options,
                     const std::vector<FillTrial::Tried>& tried) {
  Material material{.timelines = {timeline}};
  auto& ways = material.names["ways"];
  for (const auto& way : options.trial) ways.push_back(to_text(way));
  for (const auto& column : tried) {
    if (column.hidden.empty()) continue;
    material.names["columns"].push_back(column.column);
    material.names["best"].push_back(column.best ? ways[*column.best] : std::string());
    Table table(column.hidden.size());
    Buffer<std::int64_t> rows(column.hidden.size());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      rows[i] = static_cast<std::int64_t>(column.hidden[i]);
    }
    table.add("row", Column::integers(std::move(rows)));
    for (std::size_t way = 0; way < ways.size(); ++way) {
      Buffer<double> put(column.hidden.size());
      std::ranges::copy(column.fillings[way], put.begin());
      table.add(fmt::format("put {}", way), Column::numbers(std::move(put)));
    }
    material.tables.emplace(column.column, std::move(table));
  }
  return material;
}

}  // namespace

Made apply(std::span<const Timeline> in, const Fill& options) {
  if (!makes_table(options)) return Made(fill(in[0], options));
  FillTrial trial = try_fill(in[0], options);
  Made made(std::move(trial.table), std::move(trial.did));
  made.material = [timeline = in[0], options, tried = std::move(trial.tried)] {
    return material_of(timeline, options, tried);
  };
  return made;
}

Reach reach(const Fill& options) {
  const ReachSide whole = ReachSide::whole();
  const ReachSide far = options.max_gap ? ReachSide::of(*options.max_gap) : whole;
  if (makes_table(options)) return {whole, whole};
  if (std::holds_alternative<Fill::Constant>(options.how)) {
    return options.max_gap ? Reach{far, far} : Reach{};
  }
  const auto* how = std::get_if<Fill::How>(&options.how);
  // Curves, seasons, levels and lines through another column go by the whole strand.
  if (how == nullptr || *how > Fill::How::linear) return {whole, whole};
  if (options.ends == Fill::Ends::hold) return {far, far};
  // Whether a gap is short enough to fill shows only at its far end.
  const ReachSide end = options.max_gap ? far : ReachSide::none();
  if (*how == Fill::How::previous) return {far, end};
  if (*how == Fill::How::next) return {end, far};
  return {far, far};
}

}  // namespace zerobeat
