#include "view/picture/line.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "kernel/points.hpp"
#include "kernel/sums.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// What of a line can be drawn, side by side, and before which places it is open.
struct Drawable {
  std::vector<Instant> own_times;
  std::vector<double> own_values;
  std::span<const Instant> times;
  std::span<const double> values;
  std::vector<std::size_t> open_before;
};

void find_drawable(const Line& line, const Canvas& canvas, Drawable& out, DrawnLine& drawn) {
  const auto times = line.timeline->times().subspan(line.strand.begin, line.strand.size());
  const auto values = line.column.numbers().subspan(line.strand.begin, line.strand.size());
  const double longest = longest_step(times);
  const auto longest_ns = static_cast<std::int64_t>(
      std::min(longest * 1e9, static_cast<double>(std::numeric_limits<std::int64_t>::max() / 2)));
  bool all = line.column.validity().all();
  for (std::size_t i = 0; i < values.size() && all; ++i) {
    all = std::isfinite(values[i]) && (!canvas.log || values[i] > 0);
  }
  bool open = false;
  for (std::size_t i = 0; i < values.size(); ++i) {
    bool there = all || (line.column.valid(line.strand.begin + i) && std::isfinite(values[i]));
    if (there && canvas.log && values[i] <= 0) {
      ++drawn.not_drawable;
      there = false;
    }
    if (!there) {
      open = true;
      continue;
    }
    const std::size_t place = all ? i : out.own_values.size();
    const bool far =
        i > 0 && nanoseconds_of(times[i]) - Wide(nanoseconds_of(times[i - 1])) > longest_ns;
    if (place > 0 && (open || far)) out.open_before.push_back(place);
    open = false;
    if (!all) {
      out.own_times.push_back(times[i]);
      out.own_values.push_back(values[i]);
    }
  }
  out.times = all ? times : std::span<const Instant>(out.own_times);
  out.values = all ? values : std::span<const double>(out.own_values);
}

/// The rows that are partial, and the mean of the others: half a month is no month.
void find_partial(const Line& line, const Canvas& canvas, DrawnLine& drawn) {
  const Table& table = line.timeline->values();
  const auto place = table.find("partial");
  if (!place || table.columns()[*place].type() != Column::Type::boolean) return;
  const Column& partial = table.columns()[*place];
  std::vector<double> whole;
  for (std::size_t i = line.strand.begin; i < line.strand.end; ++i) {
    const double value = line.column.numbers()[i];
    if (!line.column.valid(i) || !std::isfinite(value) || (canvas.log && value <= 0)) continue;
    if (partial.valid(i) && partial.boolean(i)) {
      drawn.partial.push_back({canvas.x(line.timeline->times()[i]), value});
    } else {
      whole.push_back(value);
    }
  }
  if (!whole.empty()) drawn.mean = sum_of(whole).mean(whole.size());
}

}  // namespace

double longest_step(std::span<const Instant> times) {
  const auto typical = typical_step(times);
  if (!typical) return std::numeric_limits<double>::infinity();
  return longest_step(times, static_cast<double>(typical->count()) / 1e9);
}

double longest_step(std::span<const Instant> times, double typical_s) {
  const double mean =
      seconds_between(times.front(), times.back()) / static_cast<double>(times.size() - 1);
  return 3 * std::max(typical_s, mean);
}

double Canvas::x(Instant t) const {
  return unit ? elapsed_number(t, *unit) : seconds_between(first, t);
}

DrawnLine drawn_line(const Line& line, const Canvas& canvas) {
  DrawnLine drawn;
  if (line.strand.size() == 0) return drawn;
  Drawable all;
  find_drawable(line, canvas, all, drawn);
  drawn.readings = all.values.size();
  if (all.values.empty()) return drawn;
  const auto extremes = extremes_of(all.values);
  drawn.least = extremes.least;
  drawn.most = extremes.most;
  drawn.mean = sum_of(all.values).mean(all.values.size());
  find_partial(line, canvas, drawn);

  const bool many = all.values.size() > static_cast<std::size_t>(canvas.width);
  const double pixel = (canvas.x(canvas.last) - canvas.x(canvas.first)) / canvas.width;
  std::size_t begin = 0;
  const auto put = [&](std::size_t end) {
    const auto times = all.times.subspan(begin, end - begin);
    const auto values = all.values.subspan(begin, end - begin);
    std::vector<Point>& points = drawn.stretches.emplace_back();
    const auto add = [&](std::size_t i) { points.push_back({canvas.x(times[i]), values[i]}); };
    if (!many) {
      for (std::size_t i = 0; i < values.size(); ++i) add(i);
    } else {
      const auto width = static_cast<std::size_t>(canvas.width);
      for (const std::size_t i :
           extremes_of_stretches(times, values, canvas.first, canvas.last, width)) {
        add(i);
      }
    }
    begin = end;
  };
  for (const std::size_t end : all.open_before) {
    const double from = canvas.x(all.times[end - 1]), until = canvas.x(all.times[end]);
    if (many && until - from < pixel) continue;
    drawn.gaps.emplace_back(from, until);
    put(end);
  }
  put(all.values.size());
  return drawn;
}

std::vector<std::pair<double, double>> common_gaps(
    const std::vector<std::vector<std::pair<double, double>>>& gaps) {
  if (gaps.empty()) return {};
  auto common = gaps[0];
  for (std::size_t n = 1; n < gaps.size(); ++n) {
    std::vector<std::pair<double, double>> both;
    for (std::size_t a = 0, b = 0; a < common.size() && b < gaps[n].size();) {
      const double from = std::max(common[a].first, gaps[n][b].first);
      const double until = std::min(common[a].second, gaps[n][b].second);
      if (from < until) both.emplace_back(from, until);
      ++(common[a].second < gaps[n][b].second ? a : b);
    }
    common = std::move(both);
  }
  return common;
}

}  // namespace zerobeat::detail
