#include <algorithm>
#include <zerobeat/table/timeline.hpp>

#include "base/parallel.hpp"
#include "table/ascending.hpp"

namespace zerobeat::inline v1 {

std::vector<std::string> key_parts(std::string_view key) {
  std::vector<std::string> parts;
  for (std::size_t from = 0; from <= key.size();) {
    const std::size_t end = std::min(key.find(key_mark, from), key.size());
    parts.emplace_back(key.substr(from, end - from));
    from = end + 1;
  }
  return parts;
}

std::string key_text(std::string_view key) {
  std::string text(key);
  std::ranges::replace(text, key_mark, '+');
  return text;
}

bool Timeline::is_key_name(std::string_view name) const {
  const auto names = key_names();
  return std::ranges::find(names, name) != names.end();
}

/// Times, and the rows of their strands.
struct OrderedTimes {
  Column times{};  // held, so that its memory is no other's
  std::vector<RowStretch> strands{};

  /// How many of these times, all of one strand, are the first of the column.
  std::size_t begin_of(const Column& column, std::span<const Strand> own) const {
    const bool one = strands.size() == 1 && own.size() == 1 && own[0].begin == 0;
    const bool same =
        times.times().data() == column.times().data() && times.size() <= column.size();
    return one && same ? times.size() : 0;
  }

  bool are_of(const Column& column, std::span<const Strand> own) const {
    return times.times().data() == column.times().data() && times.size() == column.size() &&
           std::ranges::equal(strands, own, [](const RowStretch& a, const Strand& b) {
             return a.begin == b.begin && a.end == b.end;
           });
  }
};

Timeline::Timeline(Parts parts) : parts_(std::move(parts)) {
  if (parts_.times.size() == 0 && parts_.times.type() == Column::Type::number) {
    parts_.times = Column::times({});
  }
  const auto times = parts_.times.times();
  if (!parts_.times.validity().all()) {
    fail_usage("{} of a timeline's times are missing; leave those rows out",
               parts_.times.validity().missing());
  }
  std::size_t at = 0;
  const bool known = parts_.ordered && parts_.ordered->are_of(parts_.times, parts_.strands);
  const std::size_t seen =
      parts_.ordered && !known ? parts_.ordered->begin_of(parts_.times, parts_.strands) : 0;
  for (const Strand& strand : parts_.strands) {
    if (strand.begin != at || strand.end < strand.begin || strand.end > times.size()) {
      fail_usage(
          "rows {} to {} are no strand: the strands of a timeline cover its {} rows in order",
          strand.begin, strand.end, times.size());
    }
    at = strand.end;
    if (known) continue;
    const std::size_t from = seen == 0 ? strand.begin : seen - 1;
    const auto stretch = times.subspan(from, strand.end - from);
    if (!detail::ascend(stretch)) {
      const auto late = std::ranges::is_sorted_until(stretch);
      const auto row = from + static_cast<std::size_t>(late - stretch.begin());
      fail_usage(
          "row {}: {} is before {}, the time of the row before; timeline() and settle() sort", row,
          to_text(*late), to_text(*std::prev(late)));
    }
  }
  if (at != times.size() || parts_.values.rows() != times.size()) {
    fail_usage(
        "a timeline's columns are of one length: there are {} times, {} rows in strands and {} "
        "of values",
        times.size(), at, parts_.values.rows());
  }
  if (known) return;
  OrderedTimes ordered{parts_.times};
  for (const Strand& strand : parts_.strands) ordered.strands.push_back({strand.begin, strand.end});
  parts_.ordered = std::make_shared<const OrderedTimes>(std::move(ordered));
}

Timeline Timeline::named(std::string name) const {
  Timeline copy = *this;
  copy.parts_.name = std::move(name);
  return copy;
}

Column on_axis(const Column& column, const Axis& axis) {
  if (axis.is_instants() || column.type() != Column::Type::time) return column;
  const auto times = column.times();
  Buffer<double> numbers(times.size());
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    numbers[i] = column.valid(i) ? elapsed_number(times[i], *axis.elapsed) : 0;
  }
  return Column::numbers(std::move(numbers), column.validity());
}

namespace {

/// The step to `b`, which is not before `a`; the longest there is when it is longer.
std::int64_t step_between(Instant a, Instant b) {
  const std::uint64_t step =
      static_cast<std::uint64_t>(nanoseconds_of(b)) - static_cast<std::uint64_t>(nanoseconds_of(a));
  constexpr auto longest = static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max());
  return static_cast<std::int64_t>(std::min(step, longest));
}

/// The median of the steps, by selection among all of them.
std::optional<Nanoseconds> median_of_all(std::span<const Instant> times) {
  std::vector<std::int64_t> steps;
  if (!times.empty()) steps.reserve(times.size() - 1);
  for (std::size_t i = 1; i < times.size(); ++i) {
    const std::int64_t step = step_between(times[i - 1], times[i]);
    if (step != 0) steps.push_back(step);
  }
  if (steps.empty()) return std::nullopt;
  const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
  std::nth_element(steps.begin(), middle, steps.end());
  if (steps.size() % 2 == 1) return Nanoseconds(*middle);
  const std::int64_t below = *std::max_element(steps.begin(), middle);
  return Nanoseconds(below + (*middle - below) / 2);
}

}  // namespace

std::optional<Nanoseconds> typical_step(std::span<const Instant> times) {
  constexpr std::size_t few = 1 << 15;
  if (times.size() <= few) return median_of_all(times);
  // Some steps from all over tell within which bounds the median lies; then only those within are
  // gathered (Floyd, Rivest 1975).
  std::vector<std::int64_t> samples;
  const std::size_t stride = times.size() / 4096;
  for (std::size_t i = 1; i < times.size(); i += stride) {
    const std::int64_t step = step_between(times[i - 1], times[i]);
    if (step != 0) samples.push_back(step);
  }
  if (samples.size() < 256) return median_of_all(times);
  std::ranges::sort(samples);
  const std::size_t half = samples.size() / 2, spread = samples.size() / 24;
  const std::int64_t low = samples[half - spread], high = samples[half + spread];

  struct Part {
    std::int64_t below = 0, zeros = 0, at_low = 0;
    std::vector<std::int64_t> within;
  };
  constexpr std::size_t part_steps = 1 << 13;  // small enough to stay where it was allocated
  std::vector<Part> parts((times.size() - 1 + part_steps - 1) / part_steps);
  detail::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
    Part part;
    const std::size_t from = 1 + p * part_steps;
    const std::size_t until = std::min(times.size(), from + part_steps);
    thread_local std::vector<std::int64_t> scratch(part_steps + 1);
    std::int64_t* out = scratch.data();
    for (std::size_t i = from; i < until; ++i) {
      const std::int64_t step = step_between(times[i - 1], times[i]);
      part.zeros += step == 0;
      part.below += step < low;
      part.at_low += step == low;
      // Written always, kept when it lies within: cheaper than a branch that goes either way.
      *out = step;
      out += (step > low) & (step <= high);
    }
    part.within.assign(scratch.data(), out);
    parts[p] = std::move(part);
  });
  std::size_t below = 0, zeros = 0, at_low = 0;
  std::vector<std::int64_t> within;
  for (const Part& part : parts) {
    zeros += static_cast<std::size_t>(part.zeros);
    below += static_cast<std::size_t>(part.below - part.zeros);
    at_low += static_cast<std::size_t>(part.at_low);
    within.insert(within.end(), part.within.begin(), part.within.end());
  }
  const std::size_t steps = times.size() - 1 - zeros;
  const std::size_t upper = steps / 2, lower = (steps - 1) / 2;
  if (lower < below || upper >= below + at_low + within.size()) return median_of_all(times);
  const auto nth = [&](std::size_t n) {
    if (n < below + at_low) return low;
    const auto at = within.begin() + static_cast<std::ptrdiff_t>(n - below - at_low);
    std::nth_element(within.begin(), at, within.end());
    return *at;
  };
  const std::int64_t first = nth(lower), second = nth(upper);
  return Nanoseconds(first + (second - first) / 2);
}

}  // namespace zerobeat
