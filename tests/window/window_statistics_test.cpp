// Every statistic of windows against its definition, the plain loop over the rows that a window
// sees.

#include <algorithm>
#include <map>
#include <numeric>
#include <set>
#include <zerobeat/regular/resample.hpp>

#include "window/windows.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// What a definition is given: the readings of a window, in order, and the row's own.
struct Seen {
  std::vector<std::size_t> rows{};        ///< that have readings
  std::vector<double> x{}, y{};           ///< of level, and of weight where a take is of two
  std::optional<double> own{}, before{};  ///< the row's reading; the strand's before the window's
  std::size_t records = 0;
};

using Definition = std::function<std::optional<double>(const Seen&)>;

std::optional<double> products(const Seen& s) {
  if (s.x.size() < 2) return std::nullopt;
  double sum = 0;
  for (std::size_t i = 0; i < s.x.size(); ++i)
    sum += (s.x[i] - mean_of(s.x)) * (s.y[i] - mean_of(s.y));
  return sum / static_cast<double>(s.x.size() - 1);
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

}  // namespace

TEST_CASE("each statistic of windows agrees with its definition", "[roll]") {
  const Timeline timeline = random_timeline(240, 41, 2, 0.25);
  const Extent windows[] = {1, 2, 3, 7, 64, 119, 120, 121, Extent(90s), Extent(10min), Extent(5h)};
  for (const Extent& window : windows) {
    for (const Place place : all_places) {
      const auto check = [&](const auto& all, bool of_two, std::int64_t least) {
        for (const auto& [text, definition] : all) {
          INFO(text << " in " << to_text(window) << " " << to_text(place));
          const Roll options{
              .window = window, .take = {take_read(text)}, .place = place, .min_count = least};
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
      CHECK(near({a.numbers_or(0)[0]}, {b.numbers_or(0)[last]}, 1e-11));
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
            readings(roll(timeline, {.window = day, .take = {take_read(text)}, .place = place}),
                     "o"),
            expected(timeline, day, place, false, 1, definition), 1e-9));
      }
    }
  }
}

}  // namespace zerobeat::testing
