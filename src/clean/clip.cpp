#include <tbb/parallel_for.h>

#include <cmath>
#include <zerobeat/base/share.hpp>
#include <zerobeat/clean/clip.hpp>

#include "take/order_statistics.hpp"
#include "take/window_rows.hpp"

namespace zerobeat {

namespace {

/// The bounds of each row; rows without one have an interval that holds everything.
using RowBounds = std::vector<Bounds>;

void check(const Clip& options) {
  if (std::holds_alternative<std::monostate>(options.by)) fail_usage("{}", Clip::ways);
  if (options.window && std::holds_alternative<Bounds>(options.by)) {
    fail_usage("--window goes with --quantiles; fixed --bounds have no window");
  }
  const auto* shares = std::get_if<Quantiles>(&options.by);
  if (shares != nullptr && !(shares->low >= 0 && shares->high <= 1)) {
    fail_usage("--quantiles {}: shares go from 0 to 1, like 0.01,0.99", to_text(*shares));
  }
  if (options.window) detail::check_window(*options.window, Place::centred, "window");
}

/// Bounds from the quantiles of each strand's own readings.
void bound_by_strands(const Timeline& timeline, const Column& numbers, const Quantiles& shares,
                      RowBounds& bounds) {
  const auto values = numbers.numbers();
  tbb::parallel_for(std::size_t{0}, timeline.strands().size(), [&](std::size_t s) {
    const Strand& strand = timeline.strands()[s];
    std::vector<double> readings;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (numbers.valid(i)) readings.push_back(values[i]);
    }
    if (readings.empty()) return;
    const Bounds own{detail::quantile_of(readings, shares.low),
                     detail::quantile_of(readings, shares.high)};
    for (std::size_t i = strand.begin; i < strand.end; ++i) bounds[i] = own;
  });
}

/// Bounds from the quantiles of the window around each row.
void bound_by_windows(const Timeline& timeline, const Column& numbers, const Quantiles& shares,
                      const Extent& window, RowBounds& bounds) {
  const auto values = numbers.numbers();
  const double both[] = {shares.low, shares.high};
  tbb::parallel_for(std::size_t{0}, timeline.strands().size(), [&](std::size_t s) {
    const Strand& strand = timeline.strands()[s];
    const auto windows =
        detail::window_rows(timeline.times().subspan(strand.begin, strand.size()), window,
                            Place::centred, timeline.zone(), 0, strand.size());
    std::vector<std::uint32_t> counts(strand.size());
    std::vector<double> quantiles(2 * strand.size());
    detail::rolling_quantiles(values.subspan(strand.begin, strand.size()), numbers.validity(),
                              strand.begin, windows, both, counts, quantiles);
    for (std::size_t i = 0; i < strand.size(); ++i) {
      if (counts[i] == 0) continue;
      bounds[strand.begin + i] = {quantiles[2 * i], quantiles[2 * i + 1]};
    }
  });
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

Timeline clip(const Timeline& timeline, const Clip& options, std::vector<ClipChange>* changes) {
  check(options);
  StepTimer timer("clip", describe_options(options), timeline);
  if (options.window) check_on_axis(timeline.axis(), *options.window, "--window");
  const auto names = timeline.values().chosen(options.on);
  Timeline::Parts parts = timeline.parts();
  const std::size_t rows = timeline.rows();
  for (const auto& name : names) {
    const std::size_t place = timeline.values().place(name);
    const Column& original = timeline.values().columns()[place];
    const Column numbers = original.as_numbers();
    const auto values = numbers.numbers();

    const auto* fixed = std::get_if<Bounds>(&options.by);
    const auto* shares = std::get_if<Quantiles>(&options.by);
    RowBounds bounds(rows, fixed == nullptr ? Bounds() : *fixed);
    if (shares != nullptr && options.window) {
      bound_by_windows(timeline, numbers, *shares, *options.window, bounds);
    } else if (shares != nullptr) {
      bound_by_strands(timeline, numbers, *shares, bounds);
    }

    std::vector<std::size_t> outliers;
    bool fractions = false;
    for (std::size_t i = 0; i < rows; ++i) {
      if (!numbers.valid(i) || (values[i] >= bounds[i].low && values[i] <= bounds[i].high))
        continue;
      outliers.push_back(i);
      const double bound = values[i] < bounds[i].low ? bounds[i].low : bounds[i].high;
      fractions |= bound != std::floor(bound) || std::fabs(bound) > 9e15;
    }
    timer.clipped(static_cast<std::int64_t>(outliers.size()));
    const auto bound_of = [&](std::size_t i) {
      return values[i] < bounds[i].low ? bounds[i].low : bounds[i].high;
    };
    if (changes != nullptr) {
      for (const Strand& strand : timeline.strands()) {
        for (auto at = std::ranges::lower_bound(outliers, strand.begin);
             at != outliers.end() && *at < strand.end; ++at) {
          ClipChange change{timeline.times()[*at], strand.key, name, values[*at], std::nullopt};
          if (options.put == Clip::Put::bound) change.after = bound_of(*at);
          changes->push_back(std::move(change));
        }
      }
    }
    if (options.flag) {
      Buffer<std::uint64_t> flags((rows + 63) / 64, 0);
      for (const std::size_t i : outliers) flags[i / 64] |= std::uint64_t{1} << (i % 64);
      parts.values.add(name + "_clipped", Column::booleans(std::move(flags), rows));
    }
    if (outliers.empty()) continue;

    if (options.put == Clip::Put::missing) {
      std::vector<std::int64_t> kept(rows);
      for (std::size_t i = 0; i < rows; ++i) kept[i] = static_cast<std::int64_t>(i);
      for (const std::size_t i : outliers) kept[i] = -1;
      parts.values.replace(place, original.gather(kept));
    } else if (original.type() == Column::Type::integer && !fractions) {
      Buffer<std::int64_t> clipped(original.integers());
      for (const std::size_t i : outliers) clipped[i] = static_cast<std::int64_t>(bound_of(i));
      parts.values.replace(place, Column::integers(std::move(clipped), original.validity()));
    } else {
      Buffer<double> clipped(values);
      for (const std::size_t i : outliers) clipped[i] = bound_of(i);
      parts.values.replace(place, Column::numbers(std::move(clipped), original.validity()));
    }
  }
  return timer.finish(std::move(parts));
}

namespace {

/// time, key, column, before, after: a row for each change.
Table table_of(std::span<const ClipChange> changes, const Timeline& timeline) {
  const std::size_t rows = changes.size();
  Buffer<Instant> times(rows);
  Buffer<std::int32_t> keys(rows), columns(rows);
  Buffer<double> before(rows), after(rows);
  ValidityBuilder with_key(rows), with_after(rows);
  auto key_words = std::make_shared<Column::Dictionary>();
  auto column_words = std::make_shared<Column::Dictionary>(timeline.values().names());
  for (const Strand& strand : timeline.strands()) key_words->push_back(strand.key.value_or(""));
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
  if (std::holds_alternative<Bounds>(options.by)) return {};
  if (!options.window) return {ReachSide::whole(), ReachSide::whole()};
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
