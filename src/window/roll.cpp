#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/step_timer.hpp>
#include <zerobeat/window/roll.hpp>

#include "base/parallel.hpp"
#include "kernel/bucket/taken.hpp"
#include "kernel/counters.hpp"
#include "kernel/window/aging.hpp"
#include "kernel/window/running.hpp"
#include "kernel/window/take.hpp"
#include "window/weighted.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::PartWindows;
using detail::WindowColumn;
using detail::WindowTake;

bool is_aged(Stat stat) { return row_of(stat).form == TakeForm::decay; }
/// Of everything up to the row, whatever the window.
bool is_running(const Take& take) { return row_of(take.stat).needs == Needs::past; }
bool stands(const Take& take) {
  return row_of(take.stat).needs == Needs::standing ||
         (take.stat == detail::stat_of<detail::definition::Increase>() &&
          take.joining == Joining::linear);
}

Place place_of(const Roll& options) {
  const bool split = options.weights.shape == WindowWeights::Shape::split;
  return options.place.value_or(split ? Place::centred : Place::trailing);
}

void check(const Timeline& timeline, const Roll& options, const std::vector<Take>& takes) {
  for (const Extent& window : options.window.all) {
    check_on_axis(timeline.axis(), window, "‹window›");
    detail::check_window(window, place_of(options), "window");
  }
  if (options.restart) check_on_axis(timeline.axis(), *options.restart, "‹restart›");
  if (options.min_count && *options.min_count < 0) {
    fail_usage("‹min_count› {}: a number of readings is not negative", *options.min_count);
  }
  if (options.restart && std::ranges::none_of(takes, is_running)) {
    fail_usage(
        "‹restart› goes with cumsum(x), ewma(x,A) and their like; a window does not start "
        "again");
  }
  for (const Take& take : takes) {
    if (!is_running(take) && options.window.empty()) {
      fail_usage("‹window›: {} needs one: a number of records, or a period like 2h", to_text(take));
    }
    if (take.decay.half_life.days != 0 || !take.decay.half_life.is_zero()) {
      check_on_axis(timeline.axis(), Extent(take.decay.half_life), to_text(take));
    }
    if (options.weights != WindowWeights() && take.stat != Stat::mean && !is_running(take)) {
      fail_usage("‹weights› go with mean(x), not with {}", to_text(take));
    }
    for (const Extent& window : options.window.all) {
      if (stands(take) && window.in_rows()) {
        fail_usage(
            "{}: readings stand for a time, so it goes with a window of a period, not of {} "
            "records",
            to_text(take), window.rows);
      }
    }
  }
}

/// What a take of one window is called.
std::string name_of(const Take& take, const Extent& window, const Roll& options) {
  const std::string name = take.result_name();
  return options.window.all.size() > 1 ? name + "_" + to_text(window) : name;
}

/// How long the last reading of each strand stands.
std::vector<Nanoseconds> typical_steps(const Timeline& timeline) {
  std::vector<Nanoseconds> steps;
  for (const Strand& strand : timeline.strands()) {
    const auto times = timeline.times().subspan(strand.begin, strand.size());
    steps.push_back(typical_step(times).value_or(Nanoseconds(0)));
  }
  return steps;
}

/// The columns of takes of windows of one extent, in their order.
std::vector<Column> windowed(const Timeline& timeline, const Roll& options, const Extent& window,
                             std::span<const Take> takes, bool as_numbers,
                             std::vector<std::uint8_t>& fits) {
  const std::int64_t least = options.min_count.value_or(window.in_rows() ? window.rows : 1);
  std::vector<Nanoseconds> steps;
  if (std::ranges::any_of(takes, stands)) steps = typical_steps(timeline);
  std::vector<WindowTake> all;
  for (const Take& take : takes) {
    // A count of nothing is 0, unless fewer readings were asked to count for nothing.
    all.push_back({.timeline = timeline,
                   .take = take,
                   .least = std::max<std::int64_t>(1, least),
                   .least_for_counts = options.min_count || window.in_rows() ? least : 0});
  }
  const auto parts = detail::window_parts(timeline, {&window, 1});
  std::vector<WindowColumn> columns;
  for (const Take& take : takes) {
    columns.emplace_back(detail::kind_of(take, timeline.values(), as_numbers), timeline.rows(),
                         parts.size());
  }
  std::vector<std::atomic<bool>> too_large(takes.size());
  detail::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
    PartWindows part(timeline, parts[p], window, place_of(options));
    for (std::size_t k = 0; k < all.size(); ++k) {
      WindowTake take = all[k];
      if (!steps.empty()) take.last_stands = steps[parts[p].strand];
      if (!detail::take_windows(take, part, p, columns[k])) too_large[k] = true;
    }
  });
  std::vector<Column> made;
  for (std::size_t k = 0; k < takes.size(); ++k) {
    const bool own = row_of(takes[k].stat).result == Result::reading;
    const Column* picked = takes[k].of_records ? nullptr
                           : own               ? &timeline.values().column(takes[k].column)
                                               : &timeline.time_column();
    made.push_back(columns[k].take(picked));
    if (!own) made[k] = on_axis(made[k], timeline.axis());
    fits[k] = !too_large[k];
  }
  return made;
}

/// How many rows that have both have a weight that is no weight.
std::int64_t negative_weights(const Timeline& timeline, const Take& take) {
  const Column& x = timeline.values().column(take.column);
  const Column weights = timeline.values().column(take.with).as_numbers();
  std::int64_t count = 0;
  for (std::size_t row = 0; row < timeline.rows(); ++row) {
    count += x.valid(row) && weights.valid(row) && weights.numbers()[row] < 0;
  }
  return count;
}

/// One window's columns; whole numbers that do not fit are made again as numbers.
std::vector<Column> windowed(const Timeline& timeline, const Roll& options, const Extent& window,
                             std::span<const Take> takes, StepTimer& timer) {
  std::vector<std::uint8_t> fits(takes.size());
  auto made = windowed(timeline, options, window, takes, false, fits);
  for (std::size_t k = 0; k < takes.size(); ++k) {
    if (fits[k] != 0) continue;
    std::vector<std::uint8_t> again(1);
    made[k] = windowed(timeline, options, window, takes.subspan(k, 1), true, again)[0];
    timer.note(name_of(takes[k], window, options) +
               ": not every result fits a whole number of 64 bits; all are written as numbers, "
               "rounded to 16 digits");
  }
  return made;
}

}  // namespace

Timeline roll(const Timeline& given, const Roll& options) {
  StepTimer timer(options, given);
  const Stat otherwise = options.window.empty() && options.restart ? Stat::cumsum : Stat::mean;
  auto all =
      detail::plain_takes(resolve_takes(options.take, given.values(), otherwise, TakenBy::windows,
                                        "roll", given.time_name(), given.key_name()));
  check(given, options, all);
  const auto counters = detail::with_counter_steps(given, all);
  if (counters) all = counters->takes;
  const Timeline& timeline = counters ? counters->timeline : given;

  // Windows are gone through once for all takes.
  std::vector<Take> takes;
  if (options.weights == WindowWeights()) {
    std::ranges::copy_if(all, std::back_inserter(takes),
                         [](const Take& take) { return !is_running(take); });
  }
  std::vector<std::vector<Column>> by_window;
  for (const Extent& window : options.window.all) {
    by_window.push_back(takes.empty() ? std::vector<Column>()
                                      : windowed(timeline, options, window, takes, timer));
  }
  std::vector<std::size_t> starts;
  const bool any_total =
      std::ranges::any_of(all, [](const Take& take) { return take.stat == Stat::cumsum; });
  if (any_total || options.restart) starts = detail::starts_of_totals(timeline, options.restart);

  for (const Take& take : takes) {
    if (row_of(take.stat).form != TakeForm::weights) continue;
    if (const std::int64_t count = negative_weights(timeline, take); count > 0) {
      timer.note(fmt::format("{}: {} records with a negative weight were left out", to_text(take),
                             grouped(count)));
    }
  }

  Timeline::Parts parts = timeline.parts();
  std::size_t next = 0;
  for (const Take& take : all) {
    if (is_running(take)) {
      std::vector<std::string> notes;
      const std::string name = take.result_name();
      const std::int64_t least = options.min_count.value_or(0);
      parts.values.add(
          name,
          is_aged(take.stat)
              ? detail::aged(timeline, take, options.restart ? starts : std::vector<std::size_t>(),
                             least)
              : detail::running_total(timeline.values().column(take.column), starts, least, notes));
      for (auto& note : notes) timer.note(name + ": " + note);
      continue;
    }
    for (std::size_t w = 0; w < options.window.all.size(); ++w) {
      const Extent& window = options.window.all[w];
      const std::string name = name_of(take, window, options);
      if (!takes.empty()) {
        parts.values.add(name, std::move(by_window[w][next]));
        continue;
      }
      const auto weighted =
          detail::weighted_window(options.weights, window, options.place, options.min_count);
      parts.values.add(
          name, detail::weighted_means(timeline, timeline.values().column(take.column), weighted));
    }
    ++next;
  }
  if (counters) parts.values = detail::without_counter_steps(parts.values);
  return timer.finish(std::move(parts));
}

Reach reach(const Roll& options) {
  const bool running = std::ranges::any_of(options.take, is_running) ||
                       (options.take.empty() && options.window.empty());
  ReachSide back, ahead;
  const auto widen = [](ReachSide& side, const ReachSide& by) {
    if (side.kind == ReachSide::Kind::none || by.kind == ReachSide::Kind::whole) {
      side = by;
    } else if (by.kind == ReachSide::Kind::extent && !(side == by)) {
      // Of two extents that can't be compared, the strand holds both.
      const bool rows = side.extent.in_rows() && by.extent.in_rows();
      side = rows ? ReachSide::of(Extent(std::max(side.extent.rows, by.extent.rows)))
                  : ReachSide::whole();
    }
  };
  if (running) {
    widen(back, options.restart ? ReachSide::of(Extent(*options.restart)) : ReachSide::whole());
  }
  // A reading before the window stands into it, however far back it is, and is compared with.
  const bool looks_before = std::ranges::any_of(options.take, [](const Take& take) {
    return stands(take) || row_of(take.stat).needs == Needs::before;
  });
  if (looks_before) back = ReachSide::whole();
  const auto rows = [](std::int64_t n) {
    return n == 0 ? ReachSide::none() : ReachSide::of(Extent(n));
  };
  const Place place = place_of(options);
  const bool split = options.weights.shape == WindowWeights::Shape::split;
  for (const Extent& window : options.window.all) {
    const std::int64_t n = window.rows + (split ? 1 : 0);
    switch (place) {
      case Place::trailing:
        widen(back, window.in_rows() ? rows(n - 1) : ReachSide::of(window));
        break;
      case Place::leading:
        widen(ahead, window.in_rows() ? rows(n - 1) : ReachSide::of(window));
        break;
      case Place::centred:
        widen(back, window.in_rows() ? rows(n / 2) : ReachSide::of(half_of(window.period)));
        widen(ahead, window.in_rows() ? rows((n - 1) / 2) : ReachSide::of(half_of(window.period)));
    }
  }
  // How long the strand's last reading stands is a fact of the whole.
  if (place != Place::trailing && std::ranges::any_of(options.take, stands)) {
    ahead = ReachSide::whole();
  }
  return {back, ahead};
}

}  // namespace zerobeat
