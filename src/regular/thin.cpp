#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <zerobeat/regular/thin.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "kernel/points.hpp"

namespace zerobeat::inline v1 {

namespace {

constexpr std::size_t points_of_stretch = 4;

void check(const Thin& options) {
  if (options.share) {
    if (!(*options.share >= 0 && *options.share <= 1)) {
      fail_usage("‹share› {}: a share goes from 0 to 1", *options.share);
    }
    return;
  }
  const std::int64_t least =
      options.how == Thin::How::triangles ? 3 : static_cast<std::int64_t>(points_of_stretch);
  if (options.points < least) {
    fail_usage("‹points› {}: a picture by {} takes at least {}", options.points,
               to_text(options.how), least);
  }
}

/// A column's readings of one strand, side by side, and the rows that they are of.
struct Dense {
  std::vector<Instant> own_times;
  std::vector<double> own_values;
  std::vector<std::size_t> rows;  // empty: the strand's own
  std::span<const Instant> times;
  std::span<const double> values;
  std::size_t first_row;

  Dense(const Timeline& timeline, const Column& numbers, const Strand& strand)
      : times(timeline.times().subspan(strand.begin, strand.size())),
        values(numbers.numbers().subspan(strand.begin, strand.size())),
        first_row(strand.begin) {
    bool all = true;
    if (!numbers.validity().all()) {
      for (std::size_t i = strand.begin; i < strand.end && all; ++i) all = numbers.valid(i);
    }
    if (all) return;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (!numbers.valid(i)) continue;
      rows.push_back(i);
      own_times.push_back(timeline.times()[i]);
      own_values.push_back(numbers.numbers()[i]);
    }
    times = own_times;
    values = own_values;
  }
  Dense(const Dense&) = delete;
  Dense& operator=(const Dense&) = delete;

  std::size_t row(std::size_t place) const {
    return own_times.empty() ? first_row + place : rows[place];
  }
};

/// What was chosen of one strand and column.
struct Chosen {
  std::vector<std::size_t> rows;
  std::size_t readings = 0;
  double furthest = 0;
};

Chosen choose(const Timeline& timeline, const Column& numbers, const Strand& strand,
              const Thin& options) {
  const Dense dense(timeline, numbers, strand);
  Chosen chosen;
  chosen.readings = dense.values.size();
  if (dense.values.empty()) return chosen;
  const auto points = static_cast<std::size_t>(options.points);
  std::vector<std::size_t> places;
  if (options.how == Thin::How::triangles || dense.values.size() <= points) {
    places = detail::largest_triangles(dense.times, dense.values, points, &chosen.furthest);
  } else {
    places = detail::extremes_of_stretches(dense.times, dense.values, dense.times.front(),
                                           dense.times.back(), points / points_of_stretch);
    chosen.furthest = detail::furthest_from_line(dense.times, dense.values, places);
  }
  chosen.rows.reserve(places.size());
  for (const std::size_t place : places) chosen.rows.push_back(dense.row(place));
  return chosen;
}

/// The seed of a strand: the one that was given, and the key's bytes (FNV-1a).
std::uint64_t seed_of(std::int64_t seed, std::string_view key) {
  std::uint64_t hash = 14'695'981'039'346'656'037ULL;
  for (const char c : key) hash = (hash ^ static_cast<unsigned char>(c)) * 1'099'511'628'211ULL;
  return key.empty() ? static_cast<std::uint64_t>(seed) : static_cast<std::uint64_t>(seed) ^ hash;
}

/// `wanted` of the rows of a strand, in order; each set of them is as likely.
void sample(const Strand& strand, double share, std::mt19937_64& random,
            std::vector<std::int64_t>& rows) {
  auto wanted = static_cast<std::size_t>(std::llround(share * static_cast<double>(strand.size())));
  for (std::size_t i = strand.begin; i < strand.end && wanted > 0; ++i) {
    // 53 random bits make a number in [0, 1), the same in every library.
    const double draw = static_cast<double>(random() >> 11) * 0x1p-53;
    if (draw * static_cast<double>(strand.end - i) >= static_cast<double>(wanted)) continue;
    rows.push_back(static_cast<std::int64_t>(i));
    --wanted;
  }
}

}  // namespace

Timeline thin(const Timeline& timeline, const Thin& options) {
  StepTimer timer(options, timeline);
  check(options);
  const auto strands = timeline.strands();
  std::vector<std::int64_t> rows;
  Timeline::Parts parts = timeline.parts();
  if (options.share) {
    for (std::size_t s = 0; s < strands.size(); ++s) {
      // Each strand's own, so that it does not matter which others there are.
      std::mt19937_64 random(seed_of(options.seed, strands[s].key.value_or("")));
      parts.strands[s].begin = rows.size();
      sample(strands[s], *options.share, random, rows);
      parts.strands[s].end = rows.size();
    }
  } else {
    const auto names = timeline.values().chosen(options.on);
    if (names.empty()) {
      fail_usage(
          "there is no numeric column whose picture could be kept; take ‹share› of the rows");
    }
    std::vector<Column> columns;
    for (const auto& name : names) columns.push_back(timeline.values().column(name).as_numbers());
    std::vector<Chosen> chosen(strands.size() * names.size());
    detail::parallel_for(std::size_t{0}, chosen.size(), [&](std::size_t i) {
      chosen[i] = choose(timeline, columns[i % names.size()], strands[i / names.size()], options);
    });
    for (std::size_t s = 0; s < strands.size(); ++s) {
      const std::size_t begin = rows.size();
      for (std::size_t c = 0; c < names.size(); ++c) {
        const auto& own = chosen[s * names.size() + c].rows;
        rows.insert(rows.end(), own.begin(), own.end());
      }
      const auto from = rows.begin() + static_cast<std::ptrdiff_t>(begin);
      std::sort(from, rows.end());
      rows.erase(std::unique(from, rows.end()), rows.end());
      parts.strands[s].begin = begin;
      parts.strands[s].end = rows.size();
    }
    for (std::size_t c = 0; c < names.size(); ++c) {
      std::size_t readings = 0, points = 0;
      double furthest = 0;
      for (std::size_t s = 0; s < strands.size(); ++s) {
        const Chosen& choice = chosen[s * names.size() + c];
        readings += choice.readings;
        points += choice.rows.size();
        furthest = std::max(furthest, choice.furthest);
      }
      timer.note(
          fmt::format("{}: {} of {} readings; none is further than {:.6g} from the line "
                      "through them",
                      names[c], grouped(static_cast<std::int64_t>(points)),
                      grouped(static_cast<std::int64_t>(readings)), furthest));
    }
  }
  parts.times = timeline.time_column().gather(rows);
  parts.values = timeline.values().gather(rows);
  return timer.finish(std::move(parts));
}

Reach reach(const Thin&) { return {ReachSide::whole(), ReachSide::whole()}; }

}  // namespace zerobeat
