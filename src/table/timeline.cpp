#include <algorithm>
#include <stdexcept>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {

Timeline::Timeline(Parts parts) : parts_(std::move(parts)) {
  const auto times = parts_.times.times();
  std::size_t at = 0;
  for (const Strand& strand : parts_.strands) {
    if (strand.begin != at || strand.end < strand.begin || strand.end > times.size()) {
      throw std::logic_error("the strands of a timeline cover its rows in order");
    }
    at = strand.end;
    const auto own = times.subspan(strand.begin, strand.size());
    if (!std::ranges::is_sorted(own)) {
      throw std::logic_error("the times of a strand ascend");
    }
  }
  if (at != times.size() || parts_.values.rows() != times.size()) {
    throw std::logic_error("the columns of a timeline have one length");
  }
}

Timeline Timeline::named(std::string name) const {
  Timeline copy = *this;
  copy.parts_.name = std::move(name);
  return copy;
}

std::optional<Nanoseconds> typical_step(std::span<const Instant> times) {
  std::vector<std::int64_t> steps;
  if (!times.empty()) steps.reserve(times.size() - 1);
  for (std::size_t i = 1; i < times.size(); ++i) {
    std::int64_t step;
    if (__builtin_sub_overflow(nanoseconds_of(times[i]), nanoseconds_of(times[i - 1]), &step)) {
      step = std::numeric_limits<std::int64_t>::max();
    }
    if (step != 0) steps.push_back(step);
  }
  if (steps.empty()) return std::nullopt;
  const auto middle = steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2);
  std::nth_element(steps.begin(), middle, steps.end());
  if (steps.size() % 2 == 1) return Nanoseconds(*middle);
  const std::int64_t below = *std::max_element(steps.begin(), middle);
  return Nanoseconds(below + (*middle - below) / 2);
}

Timeline StepTimer::finish(Timeline::Parts parts) {
  account_.rows_out = static_cast<std::int64_t>(parts.times.size());
  account_.seconds =
      std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  parts.account.steps.push_back(account_);
  return Timeline(std::move(parts));
}

}  // namespace zerobeat
