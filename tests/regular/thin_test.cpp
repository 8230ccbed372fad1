#include <algorithm>
#include <set>
#include <zerobeat/regular/thin.hpp>

#include "base/wide.hpp"
#include "kernel/points.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// Of 1969-06-01, so that microseconds are not lost.
double epoch_seconds(Instant t) {
  return static_cast<double>((t - at("1969-06-01T00:00:00Z")).count()) / 1e9;
}

/// Largest-triangle-three-buckets, as the thesis says it.
std::vector<std::size_t> plain_triangles(const std::vector<Instant>& times,
                                         const std::vector<double>& y, std::size_t points) {
  const std::size_t n = y.size();
  std::vector<double> x;
  for (const Instant t : times) x.push_back(epoch_seconds(t) - epoch_seconds(times[0]));
  const double every = static_cast<double>(n - 2) / static_cast<double>(points - 2);
  std::vector<std::size_t> chosen{0};
  for (std::size_t b = 0; b + 2 < points; ++b) {
    const auto edge = [&](std::size_t k) {
      return static_cast<std::size_t>(static_cast<double>(k) * every) + 1;
    };
    const std::size_t next_end = std::min(edge(b + 2), n);
    double mean_x = 0, mean_y = 0;
    for (std::size_t i = edge(b + 1); i < next_end; ++i) mean_x += x[i], mean_y += y[i];
    const auto size = static_cast<double>(next_end - edge(b + 1));
    mean_x /= size, mean_y /= size;
    const double ax = x[chosen.back()], ay = y[chosen.back()];
    double most = -1;
    std::size_t place = edge(b);
    for (std::size_t i = edge(b); i < edge(b + 1); ++i) {
      const double area = std::fabs((ax - mean_x) * (y[i] - ay) - (ax - x[i]) * (mean_y - ay)) / 2;
      if (area > most) most = area, place = i;
    }
    chosen.push_back(place);
  }
  chosen.push_back(n - 1);
  return chosen;
}

double plain_distance(const std::vector<Instant>& times, const std::vector<double>& y,
                      const std::vector<std::size_t>& places) {
  double most = 0;
  for (std::size_t s = 0; s + 1 < places.size(); ++s) {
    const std::size_t a = places[s], b = places[s + 1];
    for (std::size_t i = a; i <= b; ++i) {
      const double run = epoch_seconds(times[b]) - epoch_seconds(times[a]);
      if (run == 0) {
        most = std::max({most, std::min(y[a], y[b]) - y[i], y[i] - std::max(y[a], y[b])});
        continue;
      }
      const double on =
          y[a] + (y[b] - y[a]) * ((epoch_seconds(times[i]) - epoch_seconds(times[a])) / run);
      most = std::max(most, std::fabs(y[i] - on));
    }
  }
  return most;
}

struct Walk {
  std::vector<Instant> times;
  std::vector<double> y;
};

/// Irregular steps of about `step`, none too round.
Walk random_walk(std::size_t n, unsigned seed, Nanoseconds step) {
  std::mt19937 random(seed);
  Walk walk;
  Instant t = at("1969-06-01T00:00:00Z");
  double level = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (random() % 10 != 0)
      t += Nanoseconds(static_cast<std::int64_t>(random() % 2000) * step.count() / 1000);
    level += static_cast<double>(random() % 20001) / 10007 - 1;
    walk.times.push_back(t);
    walk.y.push_back(level + (random() % 97 == 0 ? 40 : 0));
  }
  return walk;
}

}  // namespace

TEST_CASE("the largest triangles are those of the plain method", "[thin]") {
  // Seconds, and hours over so many years that a length in nanoseconds is no number any more.
  for (const Nanoseconds step : {Nanoseconds(1us), Nanoseconds(1s), Nanoseconds(8h)}) {
    for (const std::size_t n : {3, 4, 7, 64, 500, 5000}) {
      const Walk walk = random_walk(n, static_cast<unsigned>(n), step);
      for (const std::size_t points : {3, 4, 5, 20, 63, 499}) {
        if (points >= n) continue;
        double furthest = -1;
        const auto chosen = detail::largest_triangles(walk.times, walk.y, points, &furthest);
        INFO(n << " to " << points);
        REQUIRE(chosen == plain_triangles(walk.times, walk.y, points));
        const double plain = plain_distance(walk.times, walk.y, chosen);
        REQUIRE(furthest == Approx(plain).epsilon(1e-6).margin(1e-6));
        REQUIRE(detail::furthest_from_line(walk.times, walk.y, chosen) ==
                Approx(plain).epsilon(1e-6).margin(1e-6));
      }
    }
  }
  const Walk few = random_walk(5, 1, 1s);
  CHECK(detail::largest_triangles(few.times, few.y, 5) == std::vector<std::size_t>{0, 1, 2, 3, 4});
}

TEST_CASE("extremes keep first, least, greatest and last of each stretch", "[thin]") {
  const Walk walk = random_walk(4000, 7, 1s);
  for (const std::size_t stretches : {1, 3, 50, 3000}) {
    const auto chosen = detail::extremes_of_stretches(walk.times, walk.y, walk.times.front(),
                                                      walk.times.back(), stretches);
    std::set<std::size_t> expected;
    const Nanoseconds span = walk.times.back() - walk.times.front();
    const auto stretch_of = [&](std::size_t i) {
      const auto since = static_cast<Wide>((walk.times[i] - walk.times.front()).count());
      return std::min(static_cast<std::size_t>(since * static_cast<Wide>(stretches) / span.count()),
                      stretches - 1);
    };
    for (std::size_t i = 0; i < walk.y.size();) {
      std::size_t end = i, least = i, most = i;
      for (; end < walk.y.size() && stretch_of(end) == stretch_of(i); ++end) {
        if (walk.y[end] < walk.y[least]) least = end;
        if (walk.y[end] > walk.y[most]) most = end;
      }
      expected.insert({i, least, most, end - 1});
      i = end;
    }
    INFO(stretches);
    CHECK(chosen == std::vector<std::size_t>(expected.begin(), expected.end()));
  }
}

TEST_CASE("thinning keeps whole rows of each strand that any column needs", "[thin]") {
  const Timeline timeline = random_timeline(6000, 71, 3);
  for (const auto how : {Thin::How::triangles, Thin::How::extremes}) {
    const Timeline out = thin(timeline, {.points = 40, .how = how, .on = {"level", "weight"}});
    REQUIRE(out.strands().size() == 3);
    CHECK(out.values().names() == timeline.values().names());
    for (std::size_t s = 0; s < 3; ++s) {
      CHECK(out.strands()[s].size() > 30);
      CHECK(out.strands()[s].size() <= 80);
      // The greatest reading of all is in the picture.
      const auto most = [&](const Timeline& of) {
        double found = -1e9;
        const Readings level = readings(of, "level");
        for (std::size_t i = of.strands()[s].begin; i < of.strands()[s].end; ++i) {
          if (level[i]) found = std::max(found, *level[i]);
        }
        return found;
      };
      if (how == Thin::How::extremes) CHECK(most(out) == most(timeline));
    }
    CHECK(out.account().last().notes.size() == 2);
    CHECK_THAT(out.account().last().notes[0], Catch::Contains("none is further than"));
  }
  const Timeline all = thin(timeline, {.points = 1'000'000, .on = {"level"}});
  std::size_t there = 0;
  for (const auto& x : readings(timeline, "level")) there += x.has_value();
  CHECK(all.rows() == there);
}

TEST_CASE("a random share is as large as asked, in order, and the same for one seed", "[thin]") {
  const Timeline timeline = random_timeline(3000, 72, 3);
  const Timeline tenth = thin(timeline, {.share = 0.1});
  for (std::size_t s = 0; s < 3; ++s) CHECK(tenth.strands()[s].size() == 100);
  CHECK(readings(tenth, "kg") == readings(thin(timeline, {.share = 0.1}), "kg"));
  CHECK(readings(tenth, "kg") != readings(thin(timeline, {.share = 0.1, .seed = 2}), "kg"));
  CHECK(thin(timeline, {.share = 0}).rows() == 0);
  CHECK(thin(timeline, {.share = 1}).rows() == timeline.rows());
  // Every row has its chance: of 200 draws of half, each is taken some 100 times.
  const Timeline few = strand("00:00 0", "00:10 1", "00:20 2", "00:30 3", "00:40 4", "00:50 5");
  std::vector<int> drawn(6);
  for (int seed = 0; seed < 200; ++seed) {
    for (const auto& x : readings(thin(few, {.share = 0.5, .seed = seed}), "level")) {
      ++drawn[static_cast<std::size_t>(*x)];
    }
  }
  for (const int times : drawn) CHECK((times > 70 && times < 130));
}

TEST_CASE("thinning says what it can't do", "[thin]") {
  const auto level = strand("00:00 1", "01:00 2");
  CHECK_THROWS_WITH(thin(level, {.points = 2}), Catch::Contains("at least 3"));
  CHECK_THROWS_WITH(thin(level, {.points = 3, .how = Thin::How::extremes}),
                    Catch::Contains("at least 4"));
  CHECK_THROWS_WITH(thin(level, {.share = 1.5}), Catch::Contains("from 0 to 1"));
  CHECK_THROWS_AS(thin(level, {.on = {"absent"}}), Error);
  CHECK(thin(strand("00:00 -", "01:00 -"), {}).rows() == 0);
  CHECK(thin(strand("00:00 1"), {}).rows() == 1);
  CHECK(!reach(Thin{}).causal());
}

}  // namespace zerobeat::testing
