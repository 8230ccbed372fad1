#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/decompose.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "kernel/sums.hpp"
#include "model/beat.hpp"
#include "model/cells.hpp"
#include "model/seasonal.hpp"

namespace zerobeat::inline v1 {

void from_text(std::string_view text, SeasonWindow& out) {
  if (text == "periodic") {
    out.rows = 0;
    return;
  }
  std::int64_t rows = 0;
  try {
    from_text(text, rows);
  } catch (const Error&) {
    rows = 0;
  }
  if (rows < 3 || rows % 2 == 0) {
    fail_usage("\"{}\": it is an odd number of seasons from 3 on, or periodic", shown(text));
  }
  out.rows = rows;
}

std::string to_text(const SeasonWindow& window) {
  return window.rows == 0 ? "periodic" : std::to_string(window.rows);
}

namespace {

constexpr std::array<const char*, 4> decompose_endings{"_trend", "_season", "_rest", "_adjusted"};

void check(const Timeline& timeline, const std::vector<std::string>& names,
           const Decompose& options) {
  if (!options.season) fail_usage("decompose takes ‹season› N or PERIOD, like ‹season› 7");
  if (!options.season->in_rows()) {
    check_on_axis(timeline.axis(), options.season->period, "‹season›");
  }
  if (options.trend_window && (*options.trend_window < 3 || *options.trend_window % 2 == 0)) {
    fail_usage("‹trend_window› {}: it is an odd number of rows from 3 on", *options.trend_window);
  }
  if (options.how == Decompose::How::means) {
    const char* of_loess = options.season_window.rows != 0 ? "season_window"
                           : options.trend_window          ? "trend_window"
                           : options.robust                ? "robust"
                                                           : nullptr;
    if (of_loess != nullptr) fail_usage("‹{}›: only ‹how› loess has one", of_loess);
  }
  for (const auto& name : names) {
    for (const char* ending : decompose_endings) {
      const std::string made = name + ending;
      if (timeline.values().find(made) || timeline.is_key_name(made) ||
          made == timeline.time_name()) {
        fail_usage("there is a column {} already", shown(made));
      }
    }
  }
}

detail::SeasonalLoess loess_of(const Decompose& options, std::size_t season, std::size_t rows) {
  detail::SeasonalLoess how;
  how.season = season;
  how.season_window = static_cast<std::size_t>(options.season_window.rows);
  how.robust = options.robust;
  if (options.trend_window) {
    how.trend_window = static_cast<std::size_t>(*options.trend_window);
  } else {
    const double window = how.season_window == 0 ? 10 * static_cast<double>(rows) + 1
                                                 : static_cast<double>(how.season_window);
    how.trend_window = detail::odd_from(1.5 * static_cast<double>(season) / (1 - 1.5 / window));
  }
  return how;
}

/// The columns of one column's parts, and what is said of them.
struct DecomposedColumn {
  std::array<std::vector<double>, decompose_endings.size()> cells{};
  std::vector<std::string> notes{};
  std::size_t done = 0;  ///< strands that have two seasons
};

class DecomposeWork {
 public:
  DecomposeWork(const Timeline& timeline, const Decompose& options,
                std::span<const std::int64_t> seasons)
      : timeline_(timeline), options_(options), seasons_(seasons) {}

  DecomposedColumn take(const std::string& name) const {
    DecomposedColumn taken;
    for (auto& cells : taken.cells) cells.assign(timeline_.rows(), std::nan(""));
    const Column numbers = timeline_.values().column(name).as_numbers();
    for (std::size_t s = 0; s < timeline_.strands().size(); ++s) {
      detail::check_stopped();
      const Strand& strand = timeline_.strands()[s];
      const std::string title =
          strand.key ? fmt::format("{}, {}", name, shown(key_text(*strand.key))) : name;
      const std::int64_t season = seasons_[s];
      const auto readings =
          detail::readings_in(timeline_, strand, numbers, name, options_.multiply);
      const auto there = static_cast<std::int64_t>(
          std::ranges::count_if(readings, [](double x) { return !std::isnan(x); }));
      if (season > 0 && static_cast<std::int64_t>(strand.size()) >= 2 * season && there < 2) {
        ++taken.done;
        taken.notes.push_back(fmt::format("{}: {} of its readings are there", title, there));
        continue;
      }
      if (season == 0 || static_cast<std::int64_t>(strand.size()) < 2 * season) {
        taken.notes.push_back(fmt::format("{}: {} rows are less than two seasons", title,
                                          grouped(static_cast<std::int64_t>(strand.size()))));
        continue;
      }
      ++taken.done;
      taken.notes.push_back(title + ": " + put(strand, readings, season, taken));
    }
    return taken;
  }

 private:
  std::string put(const Strand& strand, const std::vector<double>& readings, std::int64_t season,
                  DecomposedColumn& taken) const {
    const auto rows = static_cast<std::size_t>(season);
    const detail::SeasonalParts parts =
        options_.how == Decompose::How::means
            ? detail::seasonal_means(readings, rows)
            : detail::seasonal_loess(readings, loess_of(options_, rows, readings.size()));
    std::vector<double> rests, with_trend, with_season;
    const auto shown_as = [&](double x) { return options_.multiply ? std::exp(x) : x; };
    for (std::size_t i = 0; i < readings.size(); ++i) {
      const double rest = readings[i] - parts.trend[i] - parts.season[i];
      const std::size_t row = strand.begin + i;
      taken.cells[0][row] = shown_as(parts.trend[i]);
      taken.cells[1][row] = shown_as(parts.season[i]);
      taken.cells[2][row] = shown_as(rest);
      taken.cells[3][row] = shown_as(readings[i] - parts.season[i]);
      if (std::isnan(rest)) continue;
      rests.push_back(rest);
      with_trend.push_back(rest + parts.trend[i]);
      with_season.push_back(rest + parts.season[i]);
    }
    return fmt::format("trend {:.2f}, season {:.2f} of the rest's variance",
                       detail::strength_of(rests, with_trend),
                       detail::strength_of(rests, with_season));
  }

  const Timeline& timeline_;
  const Decompose& options_;
  std::span<const std::int64_t> seasons_;
};

}  // namespace

Timeline decompose(const Timeline& timeline, const Decompose& options) {
  StepTimer timer(options, timeline);
  const auto names = timeline.values().chosen(options.on);
  check(timeline, names, options);
  const auto calendar = options.days.read();
  const detail::BeatOptions beats{options.by_rows, calendar};
  // Rows of a season, strand by strand; 0 where there is no beat.
  std::vector<std::int64_t> seasons;
  for (const Strand& strand : timeline.strands()) {
    const detail::Beat beat = detail::beat_of(timeline, strand, beats);
    const bool none = beat.kind == detail::Beat::Kind::none;
    seasons.push_back(
        none ? 0 : detail::rows_of_season(*options.season, beat, calendar ? &*calendar : nullptr));
  }
  const DecomposeWork work(timeline, options, seasons);
  Timeline::Parts parts = timeline.parts();
  std::size_t done = 0;
  constexpr std::size_t most_notes = 24;
  std::size_t notes = 0;
  for (const auto& name : names) {
    DecomposedColumn taken = work.take(name);
    done += taken.done;
    for (auto& note : taken.notes) {
      if (++notes <= most_notes) timer.note(std::move(note));
    }
    for (std::size_t i = 0; i < decompose_endings.size(); ++i) {
      parts.values.add(name + decompose_endings[i], detail::column_of_numbers(taken.cells[i]));
    }
  }
  if (notes > most_notes) timer.note(fmt::format("{} more", notes - most_notes));
  if (done == 0 && !names.empty()) {
    throw Error(
        Error::Kind::limit,
        fmt::format("no strand has two seasons: ‹season› {} is too long for {} rows",
                    to_text(*options.season), grouped(static_cast<std::int64_t>(timeline.rows()))));
  }
  return timer.finish(std::move(parts));
}

Made apply(std::span<const Timeline> in, const Decompose& options) {
  Made made(decompose(in[0], options));
  made.material = [timeline = *made.timeline, names = in[0].values().chosen(options.on)] {
    return Material{.timelines = {timeline}, .names = {{"on", names}}};
  };
  return made;
}

Reach reach(const Decompose&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
