// Every statistic of windows against its definition, the plain loop over the rows that a window
// sees.

#include <algorithm>
#include <map>
#include <numeric>
#include <set>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"
#include "time/forward_shift.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// The rows of a strand that row i's window sees.
std::vector<std::size_t> rows_seen(const Timeline& timeline, const Strand& strand, std::size_t i,
                                   const Extent& window, Place place) {
  std::vector<std::size_t> rows;
  const auto times = timeline.times();
  const Zone& zone = timeline.zone();
  Instant low{}, high{};
  if (!window.in_rows()) {
    const Period& w = window.period;
    const Nanoseconds half = w.nanoseconds / 2;
    low = place == Place::centred   ? times[i] - (w.nanoseconds - half)
          : place == Place::leading ? times[i]
                                    : detail::shift_forward(times[i], w, -1, zone);
    high = place == Place::centred   ? times[i] + half
           : place == Place::leading ? detail::shift_forward(times[i], w, 1, zone)
                                     : times[i];
  }
  const std::int64_t before = place == Place::trailing  ? window.rows - 1
                              : place == Place::centred ? window.rows / 2
                                                        : 0;
  for (std::size_t j = strand.begin; j < strand.end; ++j) {
    const auto apart = static_cast<std::int64_t>(j) - static_cast<std::int64_t>(i);
    const bool seen = window.in_rows()          ? apart >= -before && apart < window.rows - before
                      : place == Place::leading ? times[j] >= low && times[j] < high
                                                : times[j] > low && times[j] <= high;
    if (seen) rows.push_back(j);
  }
  return rows;
}

/// What a definition is given: the readings of a window, in order, and the row's own.
struct Seen {
  std::vector<std::size_t> rows{};        ///< that have readings
  std::vector<double> x{}, y{};           ///< of level, and of weight where a take is of two
  std::optional<double> own{}, before{};  ///< the row's reading; the strand's before the window's
  std::size_t records = 0;
};

using Definition = std::function<std::optional<double>(const Seen&)>;

double mean_of(const std::vector<double>& x) {
  return std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(x.size());
}
double moment(const std::vector<double>& x, int power) {
  const double mean = mean_of(x);
  double sum = 0;
  for (const double value : x) sum += std::pow(value - mean, power);
  return sum / static_cast<double>(x.size());
}
std::optional<double> products(const Seen& s) {
  if (s.x.size() < 2) return std::nullopt;
  double sum = 0;
  for (std::size_t i = 0; i < s.x.size(); ++i)
    sum += (s.x[i] - mean_of(s.x)) * (s.y[i] - mean_of(s.y));
  return sum / static_cast<double>(s.x.size() - 1);
}
double quantile_of(std::vector<double> x, double share) {
  std::sort(x.begin(), x.end());
  const double at = share * static_cast<double>(x.size() - 1);
  const auto below = static_cast<std::size_t>(at);
  const double next = below + 1 < x.size() ? x[below + 1] : x[below];
  return x[below] + (next - x[below]) * (at - static_cast<double>(below));
}

/// The takes whose value is a number, with what each comes to.
std::vector<std::pair<std::string, Definition>> definitions() {
  const auto of_x = [](double (*value)(const std::vector<double>&)) {
    return [value](const Seen& s) { return std::optional(value(s.x)); };
  };
  return {
      {"sum(level)", of_x([](const auto& x) { return std::accumulate(x.begin(), x.end(), 0.0); })},
      {"mean(level)", of_x(mean_of)},
      {"min(level)", of_x([](const auto& x) { return *std::min_element(x.begin(), x.end()); })},
      {"max(level)", of_x([](const auto& x) { return *std::max_element(x.begin(), x.end()); })},
      {"quantile(level,0.3)", of_x([](const auto& x) { return quantile_of(x, 0.3); })},
      {"mad(level)", of_x([](const auto& x) {
         const double median = quantile_of(x, 0.5);
         std::vector<double> off;
         for (const double value : x) off.push_back(std::fabs(value - median));
         return quantile_of(off, 0.5);
       })},
      {"mode(level)", of_x([](const auto& x) {
         std::map<double, int> counts;
         for (const double value : x) ++counts[value];
         double best = x[0];
         int most = 0;
         for (const auto& [value, count] : counts) {
           if (count > most) best = value;
           most = std::max(most, count);
         }
         return best;
       })},
      {"skewness(level)",
       [](const Seen& s) -> std::optional<double> {
         const double square = moment(s.x, 2);
         if (std::set<double>(s.x.begin(), s.x.end()).size() < 2) return std::nullopt;
         return moment(s.x, 3) / std::pow(square, 1.5);
       }},
      {"kurtosis(level)",
       [](const Seen& s) -> std::optional<double> {
         if (std::set<double>(s.x.begin(), s.x.end()).size() < 2) return std::nullopt;
         return moment(s.x, 4) / std::pow(moment(s.x, 2), 2);
       }},
      {"zscore(level)",
       [](const Seen& s) -> std::optional<double> {
         if (!s.own || std::set<double>(s.x.begin(), s.x.end()).size() < 2) return std::nullopt;
         const double n = static_cast<double>(s.x.size());
         return (*s.own - mean_of(s.x)) / std::sqrt(moment(s.x, 2) * n / (n - 1));
       }},
      {"rank(level)",
       [](const Seen& s) -> std::optional<double> {
         if (!s.own) return std::nullopt;
         double below = 0, equal = 0;
         for (const double value : s.x) {
           below += value < *s.own;
           equal += value == *s.own;
         }
         return (below + (equal + 1) / 2) / static_cast<double>(s.x.size());
       }},
      {"own", of_x([](const auto& x) { return x.back() - x.front(); })},
  };
}

std::vector<std::pair<std::string, Definition>> definitions_of_two() {
  return {
      {"cov(level,weight)", products},
      {"corr(level,weight)",
       [](const Seen& s) -> std::optional<double> {
         const auto both = products(s);
         if (!both) return std::nullopt;
         const auto root = [&](const std::vector<double>& x) {
           return std::sqrt(moment(x, 2) * static_cast<double>(x.size()) /
                            static_cast<double>(x.size() - 1));
         };
         if (root(s.x) == 0 || root(s.y) == 0) return std::nullopt;
         return *both / root(s.x) / root(s.y);
       }},
      {"wmean(level,weight)",
       [](const Seen& s) -> std::optional<double> {
         double sum = 0, weights = 0;
         for (std::size_t i = 0; i < s.x.size(); ++i) {
           sum += s.x[i] * s.y[i];
           weights += s.y[i];
         }
         if (weights == 0) return std::nullopt;
         return sum / weights;
       }},
  };
}

/// Counts, which are 0 of nothing.
std::vector<std::pair<std::string, Definition>> counts() {
  const auto changes = [](bool up) {
    return [up](const Seen& s) -> std::optional<double> {
      double count = 0;
      std::optional<double> before = s.before;
      for (const double value : s.x) {
        if (before) count += up ? value > *before : value < *before;
        before = value;
      }
      if (s.x.empty()) return std::nullopt;  // of nothing there is no rise
      return count;
    };
  };
  return {
      {"count(level)", [](const Seen& s) { return std::optional<double>(s.x.size()); }},
      {"missing(level)",
       [](const Seen& s) { return std::optional<double>(s.records - s.x.size()); }},
      {"distinct(level)",
       [](const Seen& s) {
         return std::optional<double>(std::set<double>(s.x.begin(), s.x.end()).size());
       }},
      {"up(level)", changes(true)},
      {"down(level)", changes(false)},
  };
}

Take read(const std::string& text) {
  Take take;
  if (text == "own") {
    return take_of("level", [](std::span<const double> x) { return x.back() - x.front(); }).as("o");
  }
  from_text(text, take);
  return take.as("o");
}

Readings expected(const Timeline& timeline, const Extent& window, Place place, bool of_two,
                  std::int64_t least, const Definition& definition) {
  const Readings level = readings(timeline, "level"), weight = readings(timeline, "weight");
  Readings out;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      Seen seen;
      seen.own = level[i];
      const auto rows = rows_seen(timeline, strand, i, window, place);
      seen.records = rows.size();
      for (const std::size_t j : rows) {
        if (!level[j] || (of_two && !weight[j])) continue;
        seen.rows.push_back(j);
        seen.x.push_back(*level[j]);
        if (of_two) seen.y.push_back(*weight[j]);
      }
      for (std::size_t j = strand.begin; !seen.rows.empty() && j < seen.rows[0]; ++j) {
        if (level[j]) seen.before = level[j];
      }
      const bool enough = static_cast<std::int64_t>(seen.x.size()) >= least;
      out.push_back(enough ? definition(seen) : std::nullopt);
    }
  }
  return out;
}

const Place places[] = {Place::trailing, Place::centred, Place::leading};

}  // namespace

TEST_CASE("each statistic of windows agrees with its definition", "[roll]") {
  const Timeline timeline = random_timeline(240, 41, 2, 0.25);
  const Extent windows[] = {1, 2, 3, 7, 64, 119, 120, 121, Extent(90s), Extent(10min), Extent(5h)};
  for (const Extent& window : windows) {
    for (const Place place : places) {
      const auto check = [&](const auto& all, bool of_two, std::int64_t least) {
        for (const auto& [text, definition] : all) {
          INFO(text << " in " << to_text(window) << " " << to_text(place));
          const Roll options{
              .window = window, .take = {read(text)}, .place = place, .min_count = least};
          REQUIRE(near(readings(roll(timeline, options), "o"),
                       expected(timeline, window, place, of_two, least, definition), 1e-9));
        }
      };
      check(definitions(), false, 1);
      check(definitions(), false, 4);
      check(definitions_of_two(), true, 1);
      check(definitions_of_two(), true, 3);
      check(counts(), false, 0);
      check(counts(), false, 2);
    }
  }
}

TEST_CASE("a statistic is the same in a window and in a bucket of its rows", "[roll]") {
  const Timeline timeline = random_timeline(300, 9, 1, 0.25);
  const auto rows = static_cast<std::int64_t>(timeline.rows());
  for (const Statistic& row : statistics()) {
    const bool both = row.is_taken_by(TakenBy::buckets) && row.is_taken_by(TakenBy::windows);
    if (!both || row.stat == Stat::own || row.form == TakeForm::joining ||
        row.form == TakeForm::condition || row.stat == Stat::ohlc) {
      continue;
    }
    const std::string word(row.word);
    const char* rest = row.form == TakeForm::share ? "(level,0.4)"
                       : row.form == TakeForm::weights || row.form == TakeForm::pair
                           ? "(level,weight)"
                           : "(level)";
    Take take;
    from_text(word + rest, take);
    const auto bucket = resample(timeline, {.every = ByCount{rows}, .take = {take.as("s")}});
    const auto window =
        roll(timeline, {.window = Extent(rows), .take = {take.as("s")}, .min_count = 1});
    INFO(word);
    const Column &a = bucket.values().column("s"), &b = window.values().column("s");
    REQUIRE(a.type() == b.type());
    const std::size_t last = timeline.rows() - 1;
    REQUIRE(b.valid(last));
    if (a.type() == Column::Type::time) {
      CHECK(a.times()[0] == b.times()[last]);
    } else {
      CHECK(near({a.as_numbers().numbers()[0]}, {b.as_numbers().numbers()[last]}, 1e-11));
    }
  }
}

TEST_CASE("readings stand into a window and to its end, no further", "[roll]") {
  const auto timeline = strand("00:00 2", "00:10 4", "00:30 1", "00:40 -", "01:00 3");
  const auto rolled = [&](const char* text, const Extent& window, Place place = Place::trailing) {
    return readings(roll(timeline, {.window = window, .take = {read(text)}, .place = place}), "o");
  };
  // At 00:30 the window from 00:10 holds 4 for 20 min; at 01:00 that from 00:30 holds 1.
  CHECK(rolled("integral(level)", 20min) == Readings{missing, 1200, 4800, 600 * 4 + 600, 1200});
  CHECK(rolled("twmean(level)", 20min) == Readings{missing, 2, 4, 2.5, 1});
  CHECK(rolled("duration(level > 1.5)", 20min) == Readings{missing, 600, 1200, 600, 0});
  // By lines: from 4 to 1 over 20 min, then from 1 to 3 over half an hour.
  CHECK(near(rolled("twmean(level,linear)", 20min), {missing, 3, 2.5, missing, missing}) == false);
  CHECK(near({rolled("twmean(level,linear)", 20min)[2]}, {2.5}));
  CHECK(near({rolled("integral(level,linear)", 30min)[4]}, {30 * 60 * 2.0}));
  // Ahead, the last reading stands for a typical step, 15 min here, and no further than the window.
  CHECK(rolled("integral(level)", 15min, Place::leading)[4] == 3 * 900);
  CHECK(rolled("integral(level)", 10min, Place::leading)[4] == 3 * 600);
  CHECK(rolled("integral(level)", 1h, Place::leading)[4] == 3 * 900);
  CHECK_THROWS_WITH(roll(timeline, {.window = 3, .take = {read("twmean(level)")}}),
                    Catch::Contains("goes with a window of a period"));
}

TEST_CASE("standing readings agree with their definition", "[roll]") {
  const Timeline timeline = random_timeline(120, 5, 2, 0.3);
  const Readings level = readings(timeline, "level");
  for (const Extent& window : {Extent(90s), Extent(7min), Extent(4h)}) {
    const auto area =
        readings(roll(timeline, {.window = window, .take = {read("integral(level)")}}), "o");
    const auto above =
        readings(roll(timeline, {.window = window, .take = {read("duration(level > 3)")}}), "o");
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        const Instant high = timeline.times()[i], low = high - window.period.nanoseconds;
        double sum = 0, met = 0, covered = 0;
        std::optional<std::size_t> standing;
        for (std::size_t j = strand.begin; j <= i; ++j) {
          if (!level[j] && j != i) continue;
          if (standing) {
            const Instant from = std::max(low, timeline.times()[*standing]);
            const Instant until = std::min(high, timeline.times()[j]);
            if (until > from) {
              const double seconds = static_cast<double>((until - from).count()) / 1e9;
              covered += seconds;
              sum += seconds * *level[*standing];
              if (*level[*standing] > 3) met += seconds;
            }
          }
          if (level[j]) standing = j;
        }
        const std::optional<double> none;
        INFO(i << " " << to_text(window));
        REQUIRE(near({area[i]}, {covered > 0 ? std::optional(sum) : none}, 1e-9));
        REQUIRE(near({above[i]}, {covered > 0 ? std::optional(met) : none}, 1e-9));
      }
    }
  }
}

TEST_CASE("weights of age are those of the definition", "[roll]") {
  const Timeline timeline = random_timeline(150, 23, 2, 0.3);
  const Readings level = readings(timeline, "level");
  for (const bool by_time : {false, true}) {
    const Decay decay = by_time ? Decay{.half_life = Period(5min)} : Decay{.share = 0.9};
    const auto rolled =
        roll(timeline, {.take = {ewma("level", decay).as("m"), ewvar("level", decay).as("v"),
                                 ewsd("level", decay).as("s"), ewvol("level", decay).as("q")}});
    const auto m = readings(rolled, "m"), v = readings(rolled, "v"), s = readings(rolled, "s"),
               q = readings(rolled, "q");
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        double weights = 0, sum = 0, squares = 0;
        const auto weight_of = [&](std::size_t j) {
          const double age =
              static_cast<double>((timeline.times()[i] - timeline.times()[j]).count()) / 300e9;
          return by_time ? std::exp2(-age) : std::pow(0.9, static_cast<double>(i - j));
        };
        for (std::size_t j = strand.begin; j <= i; ++j) {
          if (!level[j]) continue;
          weights += weight_of(j);
          sum += weight_of(j) * *level[j];
          squares += weight_of(j) * *level[j] * *level[j];
        }
        REQUIRE(m[i].has_value() == (weights > 0));
        if (weights == 0) continue;
        const double mean = sum / weights;
        double about = 0;
        for (std::size_t j = strand.begin; j <= i; ++j) {
          if (level[j]) about += weight_of(j) * (*level[j] - mean) * (*level[j] - mean);
        }
        REQUIRE(
            near({m[i], v[i], s[i], q[i]},
                 {mean, about / weights, std::sqrt(about / weights), std::sqrt(squares / weights)},
                 1e-9));
      }
    }
  }
}

TEST_CASE("ewma starts again with each period, and needs readings", "[roll]") {
  const auto level = strand("00:00 8", "00:30 4", "01:00 -", "01:30 6", "02:00 2");
  const auto rolled = [&](const Roll& options) {
    return readings(roll(level, options), "level_ewma");
  };
  const Take half = ewma("level", {.share = 0.5});
  CHECK(near(rolled({.take = {half}}), {8, 16.0 / 3, 16.0 / 3, (6 + 1 + 1) / (1 + 0.25 + 0.125),
                                        (2 + 3 + 0.5 + 0.5) / (1 + 0.5 + 0.125 + 0.0625)}));
  CHECK(near(rolled({.take = {half}, .restart = Period(1h)}), {8, 16.0 / 3, missing, 6, 2}));
  CHECK(near(rolled({.take = {half}, .min_count = 2}),
             {missing, 16.0 / 3, 16.0 / 3, 64.0 / 11, 32.0 / 9}));
  CHECK_THROWS_WITH(read("ewma(level,1.5)"), Catch::Contains("between 0 and 1"));
  CHECK_THROWS_WITH(read("ewma(level,1month)"), Catch::Contains("not always as long"));
  CHECK_THROWS_WITH(read("ewma(level)"), Catch::Contains("half-life"));
}

TEST_CASE("weights of a window stay with their places", "[roll]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 4", "00:30 -", "00:40 16", "00:50 32");
  const auto rolled = [&](const Roll& options) {
    return readings(roll(level, options), "level_mean");
  };
  CHECK(near(rolled({.window = 3, .weights = {1, 2, 5}}),
             {missing, missing, 25.0 / 8, missing, missing, missing}));
  CHECK(near(rolled({.window = 3, .min_count = 1, .weights = {1, 2, 5}}),
             {1, 12.0 / 7, 25.0 / 8, 10.0 / 3, 84.0 / 6, 192.0 / 7}));
  CHECK(rolled({.window = 3, .min_count = 2, .weights = {1, 2, 5}})[0] == missing);
  const auto triangle =
      rolled({.window = 4, .min_count = 1, .weights = WindowWeights::Shape::triangle});
  CHECK(near({triangle[2]}, {(2 * 1 + 2 * 2 + 1 * 4) / 5.0}));
  // Half, one, one, one, half: centred on the row.
  const auto flat = strand("00:00 1", "00:10 2", "00:20 4", "00:30 8", "00:40 16", "00:50 32");
  const auto split = [&](const Roll& options) {
    return readings(roll(flat, options), "level_mean");
  };
  CHECK(near(split({.window = 4, .weights = WindowWeights::Shape::split}),
             {missing, missing, (0.5 + 2 + 4 + 8 + 8) / 4, (1 + 4 + 8 + 16 + 16) / 4.0, missing,
              missing}));
  CHECK(near({split({.window = 4, .min_count = 3, .weights = WindowWeights::Shape::split})[0]},
             {(1 + 2 + 2) / 2.5}));
  CHECK_THROWS_WITH(split({.window = 5, .weights = WindowWeights::Shape::split}),
                    Catch::Contains("even number"));
  CHECK_THROWS_WITH(
      split({.window = 4, .place = Place::trailing, .weights = WindowWeights::Shape::split}),
      Catch::Contains("centred"));
  CHECK_THROWS_WITH(split({.window = 2, .weights = {1, 2, 1}}), Catch::Contains("one for each"));
  CHECK_THROWS_WITH(split({.window = 1h, .weights = {1, 2, 1}}),
                    Catch::Contains("window of records"));
  CHECK_THROWS_WITH(split({.window = 2, .weights = {1, -1}}), Catch::Contains("come to 0"));
  CHECK_THROWS_WITH(split({.window = 2, .take = {max("level")}, .weights = {1, 1}}),
                    Catch::Contains("go with mean(x)"));
  WindowWeights weights;
  CHECK_THROWS_WITH(from_text("1,x", weights), Catch::Contains("\"x\" is no weight"));
  CHECK_THROWS_WITH(from_text("1,-1", weights), Catch::Contains("come to 0"));
}

TEST_CASE("several windows are columns of their own, one alone adds no name", "[roll]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 4");
  const auto rolled = roll(level, {.window = {2, Extent(20min), Extent(3)},
                                   .take = {mean("level"), count(), max("level").as("top")},
                                   .min_count = 1});
  CHECK(rolled.values().names() == std::vector<std::string>{"level", "level_mean_2",
                                                            "level_mean_20min", "level_mean_3",
                                                            "count_2", "count_20min", "count_3",
                                                            "top_2", "top_20min", "top_3"});
  CHECK(near(readings(rolled, "level_mean_3"), {1, 1.5, 7.0 / 3}));
  CHECK(readings(rolled, "level_mean_20min") ==
        readings(roll(level, {.window = 20min}), "level_mean"));
  CHECK(roll(level, {.window = 2}).values().names()[1] == "level_mean");
  Extents twice;
  CHECK_THROWS_WITH(from_text("2,2", twice), Catch::Contains("given twice"));
}

TEST_CASE("whole numbers stay exact in windows, or become numbers all together", "[roll]") {
  constexpr std::int64_t big = std::numeric_limits<std::int64_t>::max();
  const auto kg = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20")},
                               {},
                               {{"kg", integers_of({big - 1, 1, -7})}}});
  const auto rolled =
      roll(kg, {.window = 2,
                .take = {sum("kg"), min("kg"), max("kg"), first("kg"), mode("kg"), rank("kg")},
                .min_count = 1});
  CHECK(rolled.values().column("kg_sum") == integers_of({big - 1, big, -6}));
  CHECK(rolled.values().column("kg_min") == integers_of({big - 1, 1, -7}));
  CHECK(rolled.values().column("kg_max") == integers_of({big - 1, big - 1, 1}));
  CHECK(rolled.values().column("kg_first") == integers_of({big - 1, big - 1, 1}));
  CHECK(rolled.values().column("kg_mode") == integers_of({big - 1, 1, -7}));
  CHECK(readings(rolled, "kg_rank") == Readings{1, 0.5, 0.5});
  const auto wide = roll(kg, {.window = 3, .take = {range("kg"), sum("kg")}});
  CHECK(wide.values().column("kg_range").type() == Column::Type::number);
  CHECK(wide.values().column("kg_sum").type() == Column::Type::integer);
  CHECK_THAT(wide.account().last().notes.at(0), Catch::Contains("kg_range: not every result fits"));
}

TEST_CASE("moments recover after a jump, and keep their digits at an offset", "[roll]") {
  std::mt19937 random(3);
  std::vector<Instant> times;
  Readings small, far;
  std::normal_distribution<double> noise;
  for (int i = 0; i < 3000; ++i) {
    times.push_back(at("2025-10-20") + std::chrono::seconds(i));
    const double z = noise(random);
    small.push_back(i == 1000 ? 1e9 : 1e-9 * z);
    far.push_back(1e9 + z);
  }
  const Timeline timeline =
      timeline_of({times, {}, {{"small", column_of(small)}, {"far", column_of(far)}}});
  const auto rolled =
      roll(timeline,
           {.window = 100, .take = {mean("small"), std_of("small"), std_of("far"), sum("small")}});
  const auto plain = [&](const Readings& all, std::size_t i, bool root, double shift) {
    std::vector<double> x;
    for (std::size_t k = i - 99; k <= i; ++k) x.push_back(*all[k] - shift);
    return root ? std::sqrt(moment(x, 2) * 100 / 99) : mean_of(x);
  };
  const Readings means = readings(rolled, "small_mean"), deviations = readings(rolled, "small_std"),
                 of_far = readings(rolled, "far_std");
  for (std::size_t i = 1100; i < 3000; i += 37) {
    REQUIRE(*means[i] == Approx(plain(small, i, false, 0)).epsilon(1e-9).margin(0));
    REQUIRE(*deviations[i] == Approx(plain(small, i, true, 0)).epsilon(1e-12).margin(0));
    REQUIRE(*of_far[i] == Approx(plain(far, i, true, 1e9)).epsilon(1e-6).margin(0));
  }
  // With the jump in it, too.
  CHECK(*deviations[1050] == Approx(plain(small, 1050, true, 0)).epsilon(1e-12).margin(0));
}

TEST_CASE("quantiles of long windows, of any numbers, are those of their readings", "[roll]") {
  std::mt19937 random(19);
  std::vector<Instant> times;
  Readings level;
  Instant t = at("2025-10-20");
  for (int i = 0; i < 4000; ++i) {
    times.push_back(t += std::chrono::milliseconds(random() % 2000));
    const auto kind = random() % 20;
    level.push_back(kind == 0   ? std::nullopt
                    : kind == 1 ? std::optional(0.0)
                    : kind == 2 ? std::optional(-0.0)
                    : kind == 3 ? std::optional(1e300)
                    : kind == 4 ? std::optional(-1e-300)
                                : std::optional(std::floor(random() % 2000 / 10.0) - 100));
  }
  const Timeline timeline = timeline_of({times, {}, {{"level", column_of(level)}}});
  for (const Extent& window : {Extent(33), Extent(301), Extent(999), Extent(700s)}) {
    for (const char* text : {"quantile(level,0)", "quantile(level,0.25)", "quantile(level,0.5)",
                             "quantile(level,0.93)", "quantile(level,1)"}) {
      Take take;
      from_text(text, take);
      const auto got =
          readings(roll(timeline, {.window = window, .take = {take.as("o")}, .min_count = 1}), "o");
      const auto& strand = timeline.strands()[0];
      for (std::size_t i = 0; i < 4000; i += 1 + random() % 60) {
        std::vector<double> x;
        for (const std::size_t j : rows_seen(timeline, strand, i, window, Place::trailing)) {
          if (level[j]) x.push_back(*level[j]);
        }
        INFO(text << " in " << to_text(window) << " at " << i);
        REQUIRE(got[i].has_value() == !x.empty());
        if (!x.empty()) REQUIRE(*got[i] == quantile_of(x, take.share));
      }
    }
  }
}

TEST_CASE("windows of days follow the clocks, where they change too", "[roll]") {
  for (const auto& [from, zone] : {std::pair("2025-03-29T00:00:00Z", "Europe/Dublin"),
                                   std::pair("2025-10-25T00:00:00Z", "Europe/Dublin"),
                                   std::pair("2025-04-05T06:00:00Z", "Australia/Lord_Howe")}) {
    std::vector<Instant> times;
    Readings level, weight;
    std::mt19937 random(7);
    for (int i = 0; i < 250; ++i) {
      times.push_back(at(from) + i * 13min);
      level.push_back(random() % 5 == 0 ? std::nullopt : std::optional(random() % 40 / 4.0));
      weight.push_back(1);
    }
    const Timeline timeline =
        timeline_of({times, {}, {{"level", column_of(level)}, {"weight", column_of(weight)}}},
                    Zone::find(zone));
    for (const Place place : {Place::trailing, Place::leading}) {
      for (const auto& [text, definition] : definitions()) {
        INFO(text << " " << zone);
        const Extent day(Period::of_days(1));
        REQUIRE(near(
            readings(roll(timeline, {.window = day, .take = {read(text)}, .place = place}), "o"),
            expected(timeline, day, place, false, 1, definition), 1e-9));
      }
    }
  }
}

TEST_CASE("times of windows are on the timeline's axis, and weights below nothing are told",
          "[roll]") {
  Timeline::Parts parts = strand("00:00 3", "00:10 1", "00:20 2").parts();
  parts.axis.elapsed = ElapsedUnit::min;
  parts.times = Column::times(Buffer<Instant>(std::span<const Instant>(
      std::vector{instant_of(0), instant_of(600'000'000'000), instant_of(1'200'000'000'000)})));
  parts.values.add("weight", column_of({1, -1, 3}));
  const auto rolled =
      roll(Timeline(std::move(parts)),
           {.window = 3,
            .take = {time_of_min("level"), first_time("level"), wmean("level", "weight")},
            .min_count = 1});
  CHECK(readings(rolled, "level_time_of_min") == Readings{0, 10, 10});
  CHECK(readings(rolled, "level_first_time") == Readings{0, 0, 0});
  CHECK(readings(rolled, "level_wmean") == Readings{3, 3, 9.0 / 4});
  CHECK_THAT(rolled.account().last().notes.at(0),
             Catch::Contains("1 records with a negative weight were left out"));
}

TEST_CASE("a function of the program's sees the window's readings and their times", "[roll]") {
  const auto level = strand("00:00 1", "00:10 -", "00:30 4", "00:40 9");
  const auto rolled = roll(
      level, {.window = 30min,
              .take = {take_of("level", OwnStatistic([](auto times, auto readings) {
                                 REQUIRE(times.size() == readings.size());
                                 return static_cast<double>((times.back() - times.front()) / 1min) +
                                        readings.back() / 100;
                               }))
                           .as("seen")}});
  CHECK(near(readings(rolled, "seen"), {0.01, 0.01, 0.04, 10.09}));
}

}  // namespace zerobeat::testing
