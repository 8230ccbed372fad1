#include "window/weighted.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/parallel.hpp"
#include "kernel/window/column.hpp"
#include "kernel/window/parts.hpp"

namespace zerobeat::inline v1 {

void from_text(std::string_view text, WindowWeights& out) {
  if (text == "triangle") {
    out = WindowWeights::Shape::triangle;
    return;
  }
  if (text == "split") {
    out = WindowWeights::Shape::split;
    return;
  }
  WindowWeights read;
  read.shape = WindowWeights::Shape::given;
  for (const auto& part : split_commas(text)) {
    double weight = 0;
    try {
      from_text(part, weight);
    } catch (const Error&) {
      fail_usage("\"{}\": \"{}\" is no weight; give numbers, like 1,2,1, or triangle, or split",
                 text, part);
    }
    if (!std::isfinite(weight)) fail_usage("\"{}\": a weight is finite, not {}", text, part);
    read.given.push_back(weight);
  }
  const double sum = std::accumulate(read.given.begin(), read.given.end(), 0.0);
  if (sum == 0) fail_usage("\"{}\": the weights come to 0, which is no mean", text);
  out = std::move(read);
}

std::string to_text(const WindowWeights& weights) {
  switch (weights.shape) {
    case WindowWeights::Shape::equal:
      return "";
    case WindowWeights::Shape::triangle:
      return "triangle";
    case WindowWeights::Shape::split:
      return "split";
    case WindowWeights::Shape::given:
      break;
  }
  return fmt::format("{}", fmt::join(weights.given, ","));
}

namespace detail {

WeightedWindow weighted_window(const WindowWeights& weights, const Extent& window,
                               const std::optional<Place>& place,
                               const std::optional<std::int64_t>& min_count) {
  if (!window.in_rows()) {
    fail_usage("‹weights› {} goes with a window of records; of a period, {}, they are not counted",
               to_text(weights), to_text(window));
  }
  constexpr std::int64_t longest = 1'000'000;
  if (window.rows > longest) {
    fail_usage("‹window› {}: weights go with up to {} records", window.rows, longest);
  }
  const auto n = static_cast<std::size_t>(window.rows);
  WeightedWindow out;
  switch (weights.shape) {
    case WindowWeights::Shape::given: {
      out.weights = weights.given;
      if (out.weights.size() != n) {
        fail_usage("‹weights› {}: {} weights for a window of {} records; give one for each",
                   to_text(weights), out.weights.size(), n);
      }
      double sum = 0;
      for (const double weight : out.weights) sum += weight;
      if (!std::isfinite(sum) || sum == 0) {
        fail_usage("‹weights› {}: they come to {}, which is no mean", to_text(weights), sum);
      }
      break;
    }
    case WindowWeights::Shape::triangle:
      for (std::size_t i = 0; i < n; ++i) {
        out.weights.push_back(static_cast<double>(std::min(i + 1, n - i)));
      }
      break;
    case WindowWeights::Shape::split:
      if (n % 2 != 0) {
        fail_usage(
            "‹window› {}: split weights are of an even number of records; an odd one is "
            "centred as it is",
            window.rows);
      }
      if (place && *place != Place::centred) {
        fail_usage("‹place› {}: split weights are centred", to_text(*place));
      }
      out.weights.assign(n + 1, 1);
      out.weights.front() = out.weights.back() = 0.5;
      break;
    case WindowWeights::Shape::equal:
      break;
  }
  const auto size = static_cast<std::int64_t>(out.weights.size());
  const bool split = weights.shape == WindowWeights::Shape::split;
  const Place where = split ? Place::centred : place.value_or(Place::trailing);
  out.before = where == Place::trailing ? size - 1 : where == Place::centred ? size / 2 : 0;
  out.least = min_count.value_or(size);
  return out;
}

namespace {

/// One part's rows of a strand, each looked at with its whole window.
class WeightedPart {
 public:
  WeightedPart(const Column& numbers, const Strand& strand, const WeightedWindow& window)
      : numbers_(numbers),
        strand_(strand),
        window_(window),
        total_(std::accumulate(window.weights.begin(), window.weights.end(), 0.0)) {}

  /// The mean of a row's window and how many readings it is of.
  std::pair<double, std::int64_t> operator()(std::size_t row) const {
    const auto values = numbers_.numbers();
    const auto n = static_cast<std::int64_t>(window_.weights.size());
    const std::int64_t first = static_cast<std::int64_t>(row) - window_.before;
    const std::int64_t from = std::max(first, static_cast<std::int64_t>(strand_.begin));
    const std::int64_t until = std::min(first + n, static_cast<std::int64_t>(strand_.end));
    const bool whole = from == first && until == first + n && numbers_.validity().all();
    double sum = 0, weights = whole ? total_ : 0;
    std::int64_t count = whole ? n : 0;
    if (whole) {
      const double* const x = values.data() + first;
      for (std::int64_t k = 0; k < n; ++k)
        sum += window_.weights[static_cast<std::size_t>(k)] * x[k];
      return {sum / weights, count};
    }
    for (std::int64_t i = from; i < until; ++i) {
      if (!numbers_.valid(static_cast<std::size_t>(i))) continue;
      const double weight = window_.weights[static_cast<std::size_t>(i - first)];
      sum += weight * values[static_cast<std::size_t>(i)];
      weights += weight;
      ++count;
    }
    return {sum / weights, count};
  }

 private:
  const Column& numbers_;
  const Strand& strand_;
  const WeightedWindow& window_;
  double total_;
};

}  // namespace

Column weighted_means(const Timeline& timeline, const Column& column,
                      const WeightedWindow& window) {
  const Column numbers = column.as_numbers();
  const auto parts = window_parts(timeline, {});
  WindowColumn out(WindowColumn::Kind::numbers, timeline.rows(), parts.size());
  const std::int64_t least = std::max<std::int64_t>(1, window.least);
  detail::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
    const Strand& strand = timeline.strands()[parts[p].strand];
    const WeightedPart mean_of(numbers, strand, window);
    const std::size_t first = strand.begin + parts[p].from, size = parts[p].until - parts[p].from;
    std::vector<std::int64_t> counts(size);
    double* const to = out.numbers(first);
    for (std::size_t i = 0; i < size; ++i) std::tie(to[i], counts[i]) = mean_of(first + i);
    out.mark(p, first, size,
             [&](std::size_t i) { return counts[i] >= least && std::isfinite(to[i]); });
  });
  return out.take(nullptr);
}

}  // namespace detail

}  // namespace zerobeat
