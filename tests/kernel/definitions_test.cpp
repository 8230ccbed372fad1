// Each definition against the plain formula, and against itself when its parts are put together in
// any way; each faster kernel of buckets against the definition.

#include "take/definitions.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "kernel/bucket/numbers.hpp"
#include "kernel/order_statistics.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace detail;

struct Pair {
  double x, y;
};

std::vector<Pair> some_pairs(std::size_t n, std::mt19937& random) {
  std::vector<Pair> pairs(n);
  for (Pair& pair : pairs) {
    pair.x = static_cast<double>(random() % 4001) / 16 - 90;
    pair.y = pair.x / 2 + static_cast<double>(random() % 401) / 16;
  }
  return pairs;
}

/// The state of readings, put together from parts that are cut anywhere.
template <typename State, typename Of>
State in_parts(const std::vector<Pair>& all, std::mt19937& random, Of&& of) {
  State state{};
  for (std::size_t i = 0; i < all.size();) {
    State part{};
    const std::size_t end = std::min(all.size(), i + 1 + random() % 7);
    for (; i < end; ++i) part.merge(of(all[i]));
    state.merge(part);
  }
  return state;
}

template <typename D>
typename D::State state_of(const Pair& pair) {
  using State = typename D::State;
  if constexpr (requires { State::of(0.0, 0.0); }) {
    return State::of(pair.x, pair.y);
  } else {
    return State::of(pair.x);
  }
}

double mean_of(const std::vector<Pair>& all, double Pair::*value) {
  long double sum = 0;
  for (const Pair& pair : all) sum += pair.*value;
  return static_cast<double>(sum / all.size());
}

/// The mean of products of deviations from the means: of two columns, or of powers of one.
long double moment(const std::vector<Pair>& all, double Pair::*a, double Pair::*b, int power = 1) {
  const long double mean_a = mean_of(all, a), mean_b = mean_of(all, b);
  long double sum = 0;
  for (const Pair& pair : all) sum += std::pow(pair.*a - mean_a, power) * (pair.*b - mean_b);
  return sum / all.size();
}

/// The plain formula of a statistic.
double plain(std::string_view word, const std::vector<Pair>& all) {
  const auto n = static_cast<double>(all.size());
  const double mean = mean_of(all, &Pair::x);
  const auto least = std::ranges::min(all, {}, &Pair::x).x;
  const auto most = std::ranges::max(all, {}, &Pair::x).x;
  const long double variance = moment(all, &Pair::x, &Pair::x) * n / (n - 1);
  if (word == "sum") return mean * n;
  if (word == "mean") return mean;
  if (word == "min") return least;
  if (word == "max") return most;
  if (word == "range") return most - least;
  if (word == "var") return static_cast<double>(variance);
  if (word == "std") return static_cast<double>(std::sqrt(variance));
  if (word == "cv") return static_cast<double>(std::sqrt(variance)) / std::fabs(mean);
  if (word == "rms") {
    long double squares = 0;
    for (const Pair& pair : all) squares += pair.x * pair.x;
    return static_cast<double>(std::sqrt(squares / n));
  }
  const long double square = moment(all, &Pair::x, &Pair::x);
  if (word == "skewness") {
    return static_cast<double>(moment(all, &Pair::x, &Pair::x, 2) / std::pow(square, 1.5L));
  }
  if (word == "kurtosis") {
    return static_cast<double>(moment(all, &Pair::x, &Pair::x, 3) / (square * square));
  }
  const long double both = moment(all, &Pair::x, &Pair::y);
  const long double square_y = moment(all, &Pair::y, &Pair::y);
  if (word == "slope") return static_cast<double>(both / square_y);
  if (word == "cov") return static_cast<double>(both * n / (n - 1));
  if (word == "corr") return static_cast<double>(both / std::sqrt(square * square_y));
  if (word == "wmean") {
    long double sum = 0, weights = 0;
    for (const Pair& pair : all) {
      if (pair.y <= 0) continue;
      sum += pair.x * pair.y;
      weights += pair.y;
    }
    return weights > 0 ? static_cast<double>(sum / weights) : std::nan("");
  }
  FAIL("no formula for " << word);
  return 0;
}

bool is_close(double a, double b, double tolerance) {
  if (std::isnan(a) || std::isnan(b)) return std::isnan(a) && std::isnan(b);
  return std::fabs(a - b) <= tolerance * std::max({1.0, std::fabs(a), std::fabs(b)});
}

}  // namespace

TEST_CASE("a definition is its formula, however its parts are put together", "[definitions]") {
  std::mt19937 random(17);
  int looked_at = 0;
  (void)for_each_statistic<int>([&]<typename D>(D) {
    if constexpr (Merging<D>) {
      if constexpr (!std::is_same_v<typename D::State, Stood>) {
        for (const std::size_t n : {2, 3, 7, 64, 500}) {
          const auto all = some_pairs(n, random);
          const double expected = plain(D::row.word, all);
          for (int round = 0; round < 4; ++round) {
            const auto state = in_parts<typename D::State>(all, random, state_of<D>);
            const double got = D::value(state, static_cast<double>(n));
            INFO(D::row.word << " of " << n);
            REQUIRE(is_close(got, expected, 1e-9));
          }
        }
        ++looked_at;
      }
    }
    return 0;
  });
  CHECK(looked_at == 15);
}

TEST_CASE("a state of nothing changes nothing", "[definitions]") {
  std::mt19937 random(23);
  (void)for_each_statistic<int>([&]<typename D>(D) {
    if constexpr (Merging<D>) {
      if constexpr (!std::is_same_v<typename D::State, Stood>) {
        const auto all = some_pairs(20, random);
        typename D::State with{}, plain_state{};
        for (const Pair& pair : all) {
          with.merge(typename D::State{});
          with.merge(state_of<D>(pair));
          plain_state.merge(state_of<D>(pair));
        }
        with.merge(typename D::State{});
        INFO(D::row.word);
        CHECK(D::value(with, 20) == D::value(plain_state, 20));
      }
    }
    return 0;
  });
}

TEST_CASE("a bucket gives what the definition gives, by whatever kernel", "[definitions]") {
  std::mt19937 random(29);
  for (const std::size_t n : {1, 2, 3, 7, 8, 9, 31, 32, 33, 64, 1000}) {
    std::vector<double> readings(n);
    std::vector<Instant> times(n);
    for (std::size_t i = 0; i < n; ++i) {
      readings[i] = static_cast<double>(random() % 2001) / 8 - 100;
      times[i] = clock("00:00") + std::chrono::seconds(i * 10 + random() % 5);
    }
    (void)for_each_statistic<int>([&]<typename D>(D) {
      constexpr bool of_numbers = D::row.needs == Needs::readings || D::row.needs == Needs::times;
      if constexpr (Merging<D> && of_numbers) {
        typename D::State state{};
        for (std::size_t i = 0; i < n; ++i) {
          const double seconds = std::chrono::duration<double>(times[i] - times[0]).count();
          state.merge(state_of<D>({readings[i], seconds}));
        }
        const bool enough = static_cast<std::int64_t>(n) >= D::row.least;
        const double expected = enough ? D::value(state, static_cast<double>(n)) : no_value;
        Take take;
        take.stat = stat_of<D>();
        take.column = "x";
        INFO(D::row.word << " of " << n);
        CHECK(is_close(BucketNumbers(readings, times)(take), expected, 1e-11));
      }
      return 0;
    });
  }
}

TEST_CASE("what one statistic of a bucket finds out does not change the next", "[definitions]") {
  std::mt19937 random(31);
  std::vector<double> readings(77);
  for (double& value : readings) value = static_cast<double>(random() % 501) / 4;
  const std::vector<Instant> times(readings.size(), clock("00:00"));
  std::vector<Take> takes;
  from_text(
      "mean(x),median(x),mad(x),std(x),quantile(x,0.1),kurtosis(x),min(x),rms(x),cv(x),"
      "skewness(x),range(x),sum(x)",
      takes);
  std::vector<double> alone;
  for (const Take& take : takes) alone.push_back(BucketNumbers(readings, times)(take));
  for (int round = 0; round < 50; ++round) {
    std::vector<std::size_t> order(takes.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::ranges::shuffle(order, random);
    BucketNumbers together(readings, times);
    for (const std::size_t k : order) REQUIRE(together(takes[k]) == alone[k]);
  }
}

TEST_CASE("equal readings have no spread, and their mean is theirs", "[definitions]") {
  for (const double x : {0.1, -7.3, 1e15 + 0.3, 1e-300}) {
    const std::vector<double> readings(37, x);
    const std::vector<Instant> times(37, clock("00:00"));
    const auto of = [&](Stat stat) {
      Take take;
      take.stat = stat;
      return BucketNumbers(readings, times)(take);
    };
    CHECK(of(Stat::mean) == x);
    CHECK(of(Stat::std) == 0);
    CHECK(of(Stat::range) == 0);
    CHECK(std::isnan(of(Stat::skewness)));
    CHECK(std::isnan(of(Stat::slope)));  // all at one time
    CHECK(of(stat_of<definition::Variation>()) == 0);
  }
  const std::vector<double> zeros(5, 0.0);
  Take take;
  take.stat = stat_of<definition::Variation>();
  CHECK(std::isnan(BucketNumbers(zeros, {})(take)));
}

TEST_CASE("quantiles lie between order statistics, by selection as by sorting", "[definitions]") {
  std::mt19937 random(37);
  for (const std::size_t n : {1, 2, 3, 4, 10, 101}) {
    std::vector<double> sorted(n);
    for (double& value : sorted) value = static_cast<double>(random() % 50);
    std::vector<double> shuffled = sorted;
    std::ranges::sort(sorted);
    for (const double share : {0.0, 0.05, 0.25, 0.5, 0.77, 0.95, 1.0}) {
      const double position = share * static_cast<double>(n - 1);
      const auto below = static_cast<std::size_t>(position);
      const double low = sorted[below], high = sorted[std::min(below + 1, n - 1)];
      const double expected = low + (high - low) * (position - static_cast<double>(below));
      INFO(share << " of " << n);
      CHECK(is_close(quantile_at(n, share, [&](std::size_t k) { return sorted[k]; }), expected,
                     1e-12));
      std::ranges::shuffle(shuffled, random);
      CHECK(is_close(quantile_of(shuffled, share), expected, 1e-12));
    }
    const double median = quantile_of(shuffled, 0.5);
    std::vector<double> deviations;
    for (const double x : sorted) deviations.push_back(std::fabs(x - median));
    std::ranges::sort(deviations);
    const auto both = median_spread_of(shuffled);
    CHECK(is_close(both.median, median, 1e-12));
    CHECK(is_close(both.deviation,
                   quantile_at(n, 0.5, [&](std::size_t k) { return deviations[k]; }), 1e-12));
  }
}

TEST_CASE("a compensated sum keeps what plain addition loses", "[definitions]") {
  CompensatedSum sum;
  for (const double x : {1e100, 1.0, -1e100}) sum.add(x);
  CHECK(sum.value() == 1);
  sum = {};
  for (int i = 0; i < 1'000'000; ++i) sum.add(0.1);
  CHECK(sum.value() == 100'000.00000000001 - 1e-11);
  CompensatedSum infinite;
  infinite.add(std::numeric_limits<double>::infinity());
  infinite.add(1);
  CHECK(std::isinf(infinite.value()));
  CHECK(std::isinf(infinite.mean(2)));
}

}  // namespace zerobeat::testing
