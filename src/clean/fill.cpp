#include <cmath>
#include <zerobeat/clean/fill.hpp>

#include "base/wide.hpp"

namespace zerobeat {

namespace {

/// A run of missing rows within a strand, and the readings at its sides (-1: there is none).
struct Gap {
  std::size_t begin = 0, end = 0;
  std::int64_t before = -1, after = -1;
};

bool is_short_enough(const Gap& gap, const Strand& strand, std::span<const Instant> times,
                     const Fill& options, const Zone& zone) {
  if (!options.max_gap) return true;
  if (options.max_gap->in_rows()) {
    return static_cast<std::int64_t>(gap.end - gap.begin) <= options.max_gap->rows;
  }
  const std::size_t from = gap.before >= 0 ? static_cast<std::size_t>(gap.before) : strand.begin;
  const std::size_t until = gap.after >= 0 ? static_cast<std::size_t>(gap.after) : strand.end - 1;
  return times[until] <= shift(times[from], options.max_gap->period, 1, zone);
}

/// What a missing row gets: readings at the sides and how much of the second, or the constant.
struct Source {
  std::int64_t row = -1;    ///< -1: stays missing
  std::int64_t other = -1;  ///< linear: the reading after
  double share = 0;         ///< linear: how far on the way to it
};

/// Between instants as far apart as can be, too.
Wide between(Instant from, Instant to) { return Wide(nanoseconds_of(to)) - nanoseconds_of(from); }

Source source_of(std::size_t row, const Gap& gap, std::span<const Instant> times, Fill::How how) {
  const auto time = [&](std::int64_t at) { return times[static_cast<std::size_t>(at)]; };
  const bool both = gap.before >= 0 && gap.after >= 0;
  switch (how) {
    case Fill::How::previous:
      return {gap.before, -1, 0};
    case Fill::How::next:
      return {gap.after, -1, 0};
    case Fill::How::nearest: {
      if (!both) return {};
      const bool earlier =
          between(time(gap.before), times[row]) <= between(times[row], time(gap.after));
      return {earlier ? gap.before : gap.after, -1, 0};
    }
    case Fill::How::linear: {
      if (!both) return {};
      const auto whole = static_cast<double>(between(time(gap.before), time(gap.after)));
      const auto part = static_cast<double>(between(time(gap.before), times[row]));
      return {gap.before, gap.after, whole > 0 ? part / whole : 0};
    }
  }
  return {};
}

template <typename Put>
void for_each_gap(const Column& column, std::span<const Strand> strands, Put&& put) {
  for (const Strand& strand : strands) {
    std::int64_t before = -1;
    for (std::size_t i = strand.begin; i < strand.end;) {
      if (column.valid(i)) {
        before = static_cast<std::int64_t>(i++);
        continue;
      }
      Gap gap{i, i, before, -1};
      while (gap.end < strand.end && !column.valid(gap.end)) ++gap.end;
      if (gap.end < strand.end) gap.after = static_cast<std::int64_t>(gap.end);
      put(strand, gap);
      i = gap.end;
    }
  }
}

struct Filled {
  Column column;
  std::int64_t cells = 0;
  Buffer<std::uint64_t> flags;
};

Filled fill_column(const Timeline& timeline, const Column& original, const Fill& options) {
  const std::size_t rows = timeline.rows();
  Filled out;
  if (options.flag) out.flags = Buffer<std::uint64_t>((rows + 63) / 64, 0);
  if (original.validity().all()) {
    out.column = original;
    return out;
  }
  const auto* constant = std::get_if<Fill::Constant>(&options.how);
  const auto* how = std::get_if<Fill::How>(&options.how);
  const bool whole_constant = constant != nullptr &&
                              constant->value == std::floor(constant->value) &&
                              std::fabs(constant->value) < 9e15;
  const bool needs_numbers = constant != nullptr ? !whole_constant : *how == Fill::How::linear;
  const Column column = needs_numbers ? original.as_numbers() : original;

  std::vector<std::int64_t> rows_from(rows);
  for (std::size_t i = 0; i < rows; ++i) rows_from[i] = static_cast<std::int64_t>(i);
  std::vector<std::pair<std::size_t, Source>> blends;
  std::vector<std::size_t> constants;
  const auto mark = [&](std::size_t row) {
    ++out.cells;
    if (options.flag) out.flags[row / 64] |= std::uint64_t{1} << (row % 64);
  };
  for_each_gap(column, timeline.strands(), [&](const Strand& strand, const Gap& gap) {
    if (!is_short_enough(gap, strand, timeline.times(), options, timeline.zone())) return;
    for (std::size_t row = gap.begin; row < gap.end; ++row) {
      if (constant != nullptr) {
        constants.push_back(row);
        mark(row);
        continue;
      }
      const Source source = source_of(row, gap, timeline.times(), *how);
      if (source.row < 0) continue;
      rows_from[row] = source.row;
      if (source.other >= 0) blends.emplace_back(row, source);
      mark(row);
    }
  });

  if (constant == nullptr && blends.empty()) {
    out.column = column.gather(rows_from);
    return out;
  }
  // What is left missing, and the values put in.
  ValidityBuilder validity(rows);
  std::vector<bool> filled(rows);
  for (const auto& blend : blends) filled[blend.first] = true;
  for (const std::size_t row : constants) filled[row] = true;
  for (std::size_t row = 0; row < rows; ++row) {
    if (!column.valid(row) && !filled[row]) validity.set_missing(row);
  }
  if (column.type() == Column::Type::integer) {
    Buffer<std::int64_t> values(column.integers());
    for (const std::size_t row : constants) {
      values[row] = static_cast<std::int64_t>(constant->value);
    }
    out.column = Column::integers(std::move(values), validity.take());
    return out;
  }
  Buffer<double> values(column.numbers());
  for (const std::size_t row : constants) values[row] = constant->value;
  for (const auto& [row, source] : blends) {
    const double a = values[static_cast<std::size_t>(source.row)];
    const double b = values[static_cast<std::size_t>(source.other)];
    values[row] = a == b ? a : a * (1 - source.share) + b * source.share;
  }
  out.column = Column::numbers(std::move(values), validity.take());
  return out;
}

}  // namespace

void from_text(std::string_view text, Fill::Method& out) {
  constexpr std::string_view constant = "constant:";
  if (text == "constant") fail_usage("constant needs its value: constant:0");
  if (text.starts_with(constant)) {
    Fill::Constant read;
    from_text(text.substr(constant.size()), read.value);
    out = read;
    return;
  }
  const auto words = enum_words(Fill::How{});
  const auto known = std::ranges::find(words, text);
  if (known != words.end()) {
    out = static_cast<Fill::How>(known - words.begin());
    return;
  }
  std::vector<std::string> candidates(words.begin(), words.end());
  candidates.emplace_back("constant:V");
  fail_usage("\"{}\" is not a choice{}", text, did_you_mean(text, candidates));
}

std::string to_text(const Fill::Method& how) {
  if (const auto* constant = std::get_if<Fill::Constant>(&how)) {
    return fmt::format("constant:{}", constant->value);
  }
  return to_text(std::get<Fill::How>(how));
}

Timeline fill(const Timeline& timeline, const Fill& options) {
  StepTimer timer("fill", describe_options(options), timeline);
  if (options.max_gap) check_on_axis(timeline.axis(), *options.max_gap, "--max-gap");
  const auto* method = std::get_if<Fill::How>(&options.how);
  const bool any_type = method != nullptr && *method != Fill::How::linear;
  const auto names = timeline.values().chosen(options.on, !any_type);
  Timeline::Parts parts = timeline.parts();
  for (const auto& name : names) {
    const std::size_t place = timeline.values().place(name);
    Filled filled = fill_column(timeline, timeline.values().columns()[place], options);
    timer.filled(filled.cells);
    parts.values.replace(place, std::move(filled.column));
    if (options.flag) {
      parts.values.add(name + "_filled",
                       Column::booleans(std::move(filled.flags), timeline.rows()));
    }
  }
  return timer.finish(std::move(parts));
}

Reach reach(const Fill& options) {
  const ReachSide far = options.max_gap ? ReachSide::of(*options.max_gap) : ReachSide::whole();
  const auto* how = std::get_if<Fill::How>(&options.how);
  if (how == nullptr) return options.max_gap ? Reach{far, far} : Reach{};
  // Whether a gap is short enough to fill shows only at its far end.
  const ReachSide end = options.max_gap ? far : ReachSide::none();
  if (*how == Fill::How::previous) return {far, end};
  if (*how == Fill::How::next) return {end, far};
  return {far, far};
}

}  // namespace zerobeat
