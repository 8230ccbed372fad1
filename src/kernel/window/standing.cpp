#include "kernel/window/standing.hpp"

#include <algorithm>
#include <vector>
#include <zerobeat/base/buffer.hpp>

#include "kernel/window/sums.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Until when a reading stands: the next one's time; the last one so long.
Wide stands_until(const StandingReadings& standing, std::size_t i) {
  if (i + 1 < standing.times.size()) return nanoseconds_of(standing.times[i + 1]);
  return Wide(nanoseconds_of(standing.times[i])) + standing.last_stands.count();
}

/// A stretch of a window in which one reading stands, not a whole step.
struct End {
  std::size_t reading = 0;
  Wide from = 0, until = 0;

  Wide length() const { return std::max<Wide>(0, until - from); }
};

/// How a window is put together: a reading that stands into it, whole steps, and its last reading.
struct Pieces {
  Wide from = 0;  ///< where the first of them begins
  std::optional<End> into{}, last{};
  RowRange whole{};  ///< readings whose whole steps are within
};

Pieces pieces_of(const StandingReadings& standing, std::size_t w) {
  const RowRange window = standing.windows[w];
  const Wide low = nanoseconds_of(standing.edges[w].low),
             high = nanoseconds_of(standing.edges[w].high);
  Pieces out;
  out.whole = {window.begin, window.begin};
  const auto within = [&](std::size_t i, Wide from) {
    return End{i, from, std::min(stands_until(standing, i), high)};
  };
  if (window.begin > 0) {
    out.from = low;
    out.into = within(window.begin - 1, low);
  }
  if (window.begin < window.end) {
    if (!out.into) out.from = nanoseconds_of(standing.times[window.begin]);
    const std::size_t last = window.end - 1;
    out.last = within(last, nanoseconds_of(standing.times[last]));
    out.whole = {window.begin, window.end - 1};
  }
  return out;
}

double seconds_of(Wide nanoseconds) { return static_cast<double>(nanoseconds) / 1e9; }

/// Windows of the readings whose whole steps are within, and what is at their ends.
struct AllPieces {
  std::vector<Pieces> pieces{};
  std::vector<RowRange> whole{};

  explicit AllPieces(const StandingReadings& standing) {
    for (std::size_t w = 0; w < standing.windows.size(); ++w) {
      pieces.push_back(pieces_of(standing, w));
      whole.push_back(pieces.back().whole);
    }
  }
};

/// How long is covered: from the first piece to the end of the last one.
double covered_of(const Pieces& pieces) {
  if (!pieces.into && !pieces.last) return 0;
  const Wide until = pieces.last ? pieces.last->until : pieces.into->until;
  return until > pieces.from ? seconds_of(until - pieces.from) : 0;
}

}  // namespace

bool StandingReadings::stands_into(std::size_t w) const {
  const Pieces pieces = pieces_of(*this, w);
  return pieces.into && pieces.into->length() > 0;
}

void stood_in_windows(const StandingReadings& standing, std::span<const double> readings,
                      Joining joining, std::span<Stood> out) {
  const AllPieces all(standing);
  const bool linear = joining == Joining::linear;
  const std::size_t steps = readings.empty() ? 0 : readings.size() - 1;
  Buffer<double> areas(readings.size());
  for (std::size_t i = 0; i < steps; ++i) {
    const double seconds = seconds_between(standing.times[i], standing.times[i + 1]);
    const double height = linear ? readings[i] + (readings[i + 1] - readings[i]) / 2 : readings[i];
    areas[i] = height * seconds;
  }
  if (!readings.empty()) areas[steps] = 0;
  Buffer<double> sums(out.size());
  std::fill(sums.begin(), sums.end(), 0.0);
  const auto stretches = stretches_of(all.whole);
  window_sums(areas.span(), {all.whole, stretches}, sums.data());
  // The line from a reading to the next one, over a part of it; the strand's last has none.
  const auto area_of = [&](const End& end) {
    const double seconds = seconds_of(end.length());
    if (!linear) return readings[end.reading] * seconds;
    const std::size_t i = end.reading;
    const Wide from = nanoseconds_of(standing.times[i]), to = nanoseconds_of(standing.times[i + 1]);
    const double step = readings[i + 1] - readings[i];
    const auto height = [&](Wide at) {
      return to == from ? readings[i + 1]
                        : readings[i] + step * (static_cast<double>(at - from) /
                                                static_cast<double>(to - from));
    };
    return (height(end.from) + height(end.until)) / 2 * seconds;
  };
  for (std::size_t w = 0; w < out.size(); ++w) {
    Pieces pieces = all.pieces[w];
    if (linear) {
      const auto has_line = [&](const std::optional<End>& end) {
        return end && end->reading + 1 < readings.size();
      };
      if (!has_line(pieces.into)) pieces.into.reset();
      if (!pieces.into && pieces.last)
        pieces.from = nanoseconds_of(standing.times[standing.windows[w].begin]);
      if (!has_line(pieces.last) && pieces.last) pieces.last->until = pieces.last->from;
    }
    out[w] = {covered_of(pieces), 0};
    if (out[w].seconds <= 0) continue;
    out[w].area = pieces.whole.begin < pieces.whole.end ? sums[w] : 0;
    if (pieces.into && pieces.into->length() > 0) out[w].area += area_of(*pieces.into);
    if (pieces.last && pieces.last->length() > 0) out[w].area += area_of(*pieces.last);
  }
}

void condition_in_windows(const StandingReadings& standing, std::span<const std::int64_t> meets,
                          std::span<Stood> out) {
  const AllPieces all(standing);
  Buffer<std::int64_t> lengths(meets.size());
  for (std::size_t i = 0; i + 1 < meets.size(); ++i) {
    lengths[i] = meets[i] != 0 ? static_cast<std::int64_t>(stands_until(standing, i) -
                                                           nanoseconds_of(standing.times[i]))
                               : 0;
  }
  if (!meets.empty()) lengths[meets.size() - 1] = 0;
  Buffer<std::int64_t> sums(out.size());
  window_sums(lengths.span(), all.whole, sums.data());
  for (std::size_t w = 0; w < out.size(); ++w) {
    const Pieces& pieces = all.pieces[w];
    out[w] = {covered_of(pieces), 0};
    if (out[w].seconds <= 0) continue;
    Wide met = pieces.whole.begin < pieces.whole.end ? Wide(sums[w]) : 0;
    for (const auto& end : {pieces.into, pieces.last}) {
      if (end && meets[end->reading] != 0) met += end->length();
    }
    out[w].area = seconds_of(met);
  }
}

}  // namespace zerobeat::detail
