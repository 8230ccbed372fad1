#include "kernel/window/aging.hpp"

#include <cmath>

#include "base/parallel.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// What is left of a weight from one row to the next.
class Fading {
 public:
  Fading(const Decay& decay, std::span<const Instant> times) : share_(decay.share), times_(times) {
    constexpr double day = 86'400e9;
    half_life_ = static_cast<double>(decay.half_life.nanoseconds.count()) +
                 day * static_cast<double>(decay.half_life.days);
  }
  double operator()(std::size_t row) {
    if (share_ > 0) return share_;
    const std::int64_t step = nanoseconds_of(times_[row]) - nanoseconds_of(times_[row - 1]);
    if (step != step_) {
      step_ = step;
      left_ = std::exp2(-static_cast<double>(step) / half_life_);
    }
    return left_;
  }

 private:
  double share_, half_life_ = 0;
  std::span<const Instant> times_;
  std::int64_t step_ = 0;
  double left_ = 1;
};

/// Weights, their mean, and the mean of squares: about the mean, or of the readings themselves.
struct Aged {
  double weights = 0, mean = 0, squares = 0;

  template <Stat stat>
  void add(double x, double left) {
    const double old = left * weights;
    weights = old + 1;
    const double share = 1 / weights;
    const double off = x - mean;
    if constexpr (stat == Stat::ewma) {
      mean += off * share;
    } else if constexpr (stat == Stat::ewvol) {
      squares += (x * x - squares) * share;
    } else {
      squares = old * share * (squares + off * off * share);
      mean += off * share;
    }
  }
  template <Stat stat>
  double value() const {
    if constexpr (stat == Stat::ewma) return mean;
    if constexpr (stat == Stat::ewvar) return squares;
    return std::sqrt(squares);
  }
};

/// One strand's rows; true when each has a value.
template <Stat stat>
bool age(const Timeline& timeline, const Strand& strand, const Column& numbers, const Decay& decay,
         const std::vector<std::size_t>& starts, std::int64_t least, double* out,
         std::uint8_t* there) {
  const auto values = numbers.numbers();
  const bool dense = numbers.validity().all();
  Fading fading(decay, timeline.times());
  Aged aged;
  std::int64_t count = 0;
  bool all = true;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (row == strand.begin || (!starts.empty() && starts[row] == row)) {
      aged = {};
      count = 0;
    }
    const double left = count == 0 && aged.weights == 0 ? 0 : fading(row);
    if (dense || numbers.valid(row)) {
      aged.add<stat>(values[row], left);
      ++count;
    } else {
      aged.weights *= left;
    }
    out[row] = aged.value<stat>();
    there[row] = (count >= least) & !std::isnan(out[row]);
    all &= there[row] != 0;
  }
  return all;
}

}  // namespace

Column aged(const Timeline& timeline, const Take& take, const std::vector<std::size_t>& starts,
            std::int64_t least) {
  const Column numbers = timeline.values().column(take.column).as_numbers();
  const std::size_t rows = timeline.rows();
  Buffer<double> out(rows);
  Buffer<std::uint8_t> there(rows);
  std::vector<std::uint8_t> whole(timeline.strands().size());
  const std::int64_t needed = std::max<std::int64_t>(1, least);
  detail::parallel_for(std::size_t{0}, whole.size(), [&](std::size_t s) {
    const Strand& strand = timeline.strands()[s];
    const auto run = [&]<Stat stat>() {
      whole[s] = age<stat>(timeline, strand, numbers, take.decay, starts, needed, out.data(),
                           there.data());
    };
    switch (take.stat) {
      case Stat::ewma:
        return run.template operator()<Stat::ewma>();
      case Stat::ewvar:
        return run.template operator()<Stat::ewvar>();
      case Stat::ewsd:
        return run.template operator()<Stat::ewsd>();
      default:
        return run.template operator()<Stat::ewvol>();
    }
  });
  ValidityBuilder validity(rows);
  for (std::size_t s = 0; s < whole.size(); ++s) {
    if (whole[s] != 0) continue;
    const Strand& strand = timeline.strands()[s];
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (there[row] == 0) validity.set_missing(row);
    }
  }
  return Column::numbers(std::move(out), validity.take());
}

}  // namespace zerobeat::detail
