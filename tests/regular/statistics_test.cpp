#include <algorithm>
#include <map>
#include <zerobeat/regular/resample.hpp>

#include "kernel/sums.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

Readings taken(const Timeline& timeline, const Period& every, const Take& take) {
  return readings(resample(timeline, {.every = every, .take = {take.as("out")}}), "out");
}

/// One reading of a strand that is there.
struct Reading {
  double t = 0, x = 0;  ///< seconds since 1970
};

double seconds(Instant t) { return static_cast<double>(nanoseconds_of(t) / 1'000'000) / 1e3; }

/// The first `n` digits of pi (Rabinowitz, Wagon 1995).
std::vector<double> digits_of_pi(std::size_t n) {
  const std::size_t length = 10 * (n + 20) / 3 + 1;
  std::vector<long> a(length, 2);
  std::vector<double> digits;
  int nines = 0, before = 0;
  for (std::size_t j = 0; j < n + 20; ++j) {
    long carry = 0;
    for (std::size_t i = length; i > 0; --i) {
      const long x = 10 * a[i - 1] + carry * static_cast<long>(i);
      a[i - 1] = x % (2 * static_cast<long>(i) - 1);
      carry = x / (2 * static_cast<long>(i) - 1);
    }
    a[0] = carry % 10;
    carry /= 10;
    if (carry == 9) {
      ++nines;
      continue;
    }
    if (j > 0) digits.push_back(static_cast<double>(before + (carry == 10)));
    for (; nines > 0; --nines) digits.push_back(carry == 10 ? 0 : 9);
    before = carry == 10 ? 0 : static_cast<int>(carry);
  }
  digits.resize(n);
  return digits;
}

/// A middle value, then pairs a tenth (or `off`) below and above it.
std::vector<double> pairs_around(double middle, double low, double high, std::size_t pairs) {
  std::vector<double> values{middle};
  for (std::size_t i = 0; i < pairs; ++i) {
    values.push_back(low);
    values.push_back(high);
  }
  return values;
}

/// How many digits of a value are right, as the logarithm of its relative error.
double right_digits(double value, double truth) {
  return value == truth ? 17 : -std::log10(std::fabs(value - truth) / std::fabs(truth));
}

}  // namespace

TEST_CASE("mean and standard deviation keep the digits of the reference sets", "[statistics]") {
  struct Reference {
    std::vector<double> values;
    double mean, deviation, digits;
  };
  // NIST's univariate sets of numerical accuracy 1 to 4, which are made by rule, and 5,000 digits
  // of pi, with what exact arithmetic gives for them. The third is hard, the
  // fourth is the hardest: its values themselves are rounded to 9 digits of the deviation.
  const std::vector<Reference> sets{
      {{10000001, 10000003, 10000002}, 10000002, 1, 14},
      {pairs_around(1.2, 1.1, 1.3, 500), 1.2, 0.1, 12},
      {pairs_around(1000000.2, 1000000.1, 1000000.3, 500), 1000000.2, 0.1, 9},
      {pairs_around(10000000.2, 10000000.1, 10000000.3, 500), 10000000.2, 0.1, 8},
      {digits_of_pi(5000), 4.5358, 2.8676755521876114, 12},
  };
  for (const auto& set : sets) {
    CHECK(right_digits(detail::sum_of(set.values).mean(set.values.size()), set.mean) >= 14);
    CHECK(right_digits(std::sqrt(detail::variance_of(set.values)), set.deviation) >= set.digits);
  }
}

TEST_CASE("moments, deviation from the median and slope agree with their definitions",
          "[statistics]") {
  const Timeline timeline = random_timeline(900, 41, 2, 0.3);
  const Period every(20min);
  const auto of = [&](const Take& take) { return taken(timeline, every, take); };
  const Readings skew = of(skewness("level")), kurt = of(kurtosis("level")),
                 deviation = of(mad("level")), rise = of(slope("level"));
  const Timeline counted = resample(timeline, {.every = every, .take = {count()}});
  std::size_t row = 0;
  const Readings level = readings(timeline, "level");
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& from = timeline.strands()[s];
    const Strand& rows = counted.strands()[s];
    for (row = rows.begin; row < rows.end; ++row) {
      const Instant start = counted.times()[row];
      std::vector<Reading> x;
      for (std::size_t i = from.begin; i < from.end; ++i) {
        const Instant t = timeline.times()[i];
        if (t >= start && t < start + 20min && level[i]) x.push_back({seconds(t), *level[i]});
      }
      const auto n = static_cast<double>(x.size());
      double mean = 0, middle = 0;
      for (const auto& one : x) mean += one.x / n, middle += one.t / n;
      double m2 = 0, m3 = 0, m4 = 0, tx = 0, tt = 0;
      std::vector<double> values;
      for (const auto& one : x) {
        const double d = one.x - mean;
        m2 += d * d / n, m3 += d * d * d / n, m4 += d * d * d * d / n;
        tx += (one.t - middle) * d, tt += (one.t - middle) * (one.t - middle);
        values.push_back(one.x);
      }
      const bool spread = m2 > 1e-20;
      const auto some = [&](bool there, double value) {
        return there ? std::optional(value) : std::nullopt;
      };
      const auto median = [](std::vector<double> all) {
        std::sort(all.begin(), all.end());
        const std::size_t half = all.size() / 2;
        return all.size() % 2 == 1 ? all[half] : (all[half - 1] + all[half]) / 2;
      };
      INFO("bucket " << row << " of " << x.size());
      REQUIRE(near({skew[row]}, {some(spread, m3 / std::pow(m2, 1.5))}, 1e-7));
      REQUIRE(near({kurt[row]}, {some(spread, m4 / (m2 * m2))}, 1e-7));
      REQUIRE(near({rise[row]}, {some(tt > 0, tx / tt)}, 1e-7));
      double far = 0;
      if (!values.empty()) {
        std::vector<double> off;
        for (const double value : values) off.push_back(std::fabs(value - median(values)));
        far = median(off);
      }
      REQUIRE(near({deviation[row]}, {some(!values.empty(), far)}));
    }
  }
}

TEST_CASE("what stands is weighed by time, in steps and on lines, across edges", "[statistics]") {
  const Timeline timeline = random_timeline(600, 43, 2, 0.4);
  const Readings level = readings(timeline, "level");
  for (const Period every : {Period(4min), Period(50min), Period(9h)}) {
    const Timeline out = resample(
        timeline,
        {.every = every,
         .take = {twmean("level"), integral("level"), twmean("level", Joining::linear).as("line"),
                  integral("level", Joining::linear).as("area"),
                  duration("level", Condition::Sign::at_least, "2.5"), up("level"), down("level"),
                  take::at("level").as("step"), take::at("level", Joining::linear).as("on_line")}});
    for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
      const Strand& strand = timeline.strands()[s];
      std::vector<Reading> x;
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        if (level[i]) x.push_back({seconds(timeline.times()[i]), *level[i]});
      }
      const double step =
          static_cast<double>(
              typical_step(timeline.times().subspan(strand.begin, strand.size()))->count()) /
          1e9;
      for (std::size_t row = out.strands()[s].begin; row < out.strands()[s].end; ++row) {
        const double from = seconds(out.times()[row]);
        const double until = from + static_cast<double>(every.nanoseconds.count()) / 1e9;
        bool any = false;
        double area = 0, stood = 0, met = 0, line_area = 0, line_stood = 0, ups = 0, downs = 0;
        std::optional<double> at_step, at_line;
        for (std::size_t i = 0; i < x.size(); ++i) {
          const bool last = i + 1 == x.size();
          const double next = last ? x[i].t + step : x[i + 1].t;
          const double a = std::max(x[i].t, from), b = std::min(next, until);
          if (b > a) {
            area += x[i].x * (b - a), stood += b - a;
            if (x[i].x >= 2.5) met += b - a;
          }
          const bool here = x[i].t <= from && (from < next || x[i].t == from);
          if (here) at_step = x[i].x;
          if (x[i].t == from) at_line = x[i].x;
          any |= x[i].t >= from && x[i].t < until;
          if (i > 0 && x[i].t >= from && x[i].t < until) {
            ups += x[i].x > x[i - 1].x, downs += x[i].x < x[i - 1].x;
          }
          if (last) continue;
          const auto on = [&](double t) {
            return x[i].x + (x[i + 1].x - x[i].x) * (t - x[i].t) / (x[i + 1].t - x[i].t);
          };
          if (x[i].t < from && from < x[i + 1].t) at_line = on(from);
          if (b > a) line_area += (on(a) + on(b)) / 2 * (b - a), line_stood += b - a;
        }
        const auto some = [](bool there, double value) {
          return there ? std::optional(value) : std::nullopt;
        };
        INFO(to_text(every) << ", row " << row);
        const auto is = [&](const char* name, std::optional<double> expected) {
          INFO(name);
          REQUIRE(near({readings(out, name)[row]}, {expected}, 1e-6));
        };
        if (row % 7 != 0) continue;  // a sample of the rows: each looks at all readings
        is("level_twmean", some(stood > 0, area / stood));
        is("level_integral", some(stood > 0, area));
        is("level_duration", some(stood > 0, met));
        is("line", some(line_stood > 0, line_area / line_stood));
        is("area", some(line_stood > 0, line_area));
        is("level_up", some(any, ups));
        is("level_down", some(any, downs));
        is("step", at_step);
        is("on_line", at_line);
      }
    }
  }
}

TEST_CASE("conditions hold for numbers, texts and booleans", "[statistics]") {
  Buffer<std::uint64_t> bits(1, 0b0101);
  const Timeline pump =
      timeline_of({{clock("00:00"), clock("00:10"), clock("00:30"), clock("00:40")},
                   {},
                   {{"state", texts_of({"run", "idle", "run", "idle"})},
                    {"open", Column::booleans(std::move(bits), 4)},
                    {"kg", integers_of({5, 7, 5, 9})}}});
  using Sign = Condition::Sign;
  CHECK(taken(pump, 1h, duration("state", Sign::equal, "run")) == Readings{20 * 60});
  CHECK(taken(pump, 1h, duration("state", Sign::unequal, "run")) == Readings{30 * 60});
  CHECK(taken(pump, 1h, duration("open", Sign::equal, "true")) == Readings{20 * 60});
  CHECK(taken(pump, 1h, duration("kg", Sign::at_most, "5")) == Readings{20 * 60});
  CHECK_THROWS_WITH(taken(pump, 1h, duration("state", Sign::more, "run")),
                    Catch::Contains("goes with = and !="));
  CHECK_THROWS_WITH(taken(pump, 1h, duration("open", Sign::equal, "yes")),
                    Catch::Contains("true or false"));
  CHECK_THROWS_WITH(taken(pump, 1h, duration("kg", Sign::more, "heavy")),
                    Catch::Contains("not \"heavy\""));
  CHECK_THROWS_WITH(taken(pump, 1h, slope("state")), Catch::Contains("count first last distinct"));
}

TEST_CASE("modes and distinct readings agree with counting, for every type", "[statistics]") {
  std::mt19937 random(45);
  std::vector<Instant> times;
  Readings x;
  std::vector<std::optional<std::int64_t>> n;
  std::vector<std::string> words;
  for (int i = 0; i < 800; ++i) {
    times.push_back(clock("00:00") + i * 11s);
    const auto pick = static_cast<std::int64_t>(random() % 9) - 4;
    x.push_back(random() % 4 == 0 ? std::nullopt : std::optional(static_cast<double>(pick) / 2));
    if (x.back() == 0.0 && random() % 2 == 0) x.back() = -0.0;
    n.push_back(random() % 4 == 0 ? std::nullopt : std::optional(pick * (std::int64_t{1} << 60)));
    words.push_back(random() % 4 == 0 ? "" : std::string(1, static_cast<char>('p' - pick)));
  }
  const Timeline timeline = timeline_of(
      {times, {}, {{"x", column_of(x)}, {"n", integers_of(n)}, {"word", texts_of(words)}}});
  const Timeline out =
      resample(timeline, {.every = 2min,
                          .take = {mode("x"), distinct("x"), mode("n"), distinct("n"), mode("word"),
                                   distinct("word")}});
  for (std::size_t row = 0; row < out.rows(); ++row) {
    std::map<double, int> of_x, of_n;
    std::map<std::string, int> of_word;
    for (std::size_t i = 0; i < times.size(); ++i) {
      if (times[i] < out.times()[row] || times[i] >= out.times()[row] + 2min) continue;
      if (x[i]) ++of_x[*x[i]];
      if (n[i]) ++of_n[static_cast<double>(*n[i])];
      if (!words[i].empty()) ++of_word[words[i]];
    }
    const auto most = [](const auto& counts) {
      return std::max_element(counts.begin(), counts.end(),
                              [](const auto& a, const auto& b) { return a.second < b.second; });
    };
    REQUIRE(readings(out, "x_mode")[row] == most(of_x)->first);
    REQUIRE(readings(out, "n_mode")[row] == most(of_n)->first);
    REQUIRE(texts(out, "word_mode")[row] == most(of_word)->first);
    REQUIRE(readings(out, "x_distinct")[row] == static_cast<double>(of_x.size()));
    REQUIRE(readings(out, "n_distinct")[row] == static_cast<double>(of_n.size()));
    REQUIRE(readings(out, "word_distinct")[row] == static_cast<double>(of_word.size()));
  }
}

TEST_CASE("a program's own statistic works like a built-in one", "[statistics]") {
  const Timeline timeline = random_timeline(400, 44, 2, 0.3);
  const auto span_of = take::of("level", [](std::span<const double> x) {
    return x.empty()
               ? std::nan("")
               : *std::max_element(x.begin(), x.end()) - *std::min_element(x.begin(), x.end());
  });
  CHECK(taken(timeline, 30min, span_of) == taken(timeline, 30min, range("level")));
  const OwnStatistic last_second = [](std::span<const Instant> times, std::span<const double>) {
    return seconds(times.back());
  };
  const Timeline ends = resample(
      timeline, {.every = 30min, .take = {take::of("level", last_second), last_time("level")}});
  for (std::size_t i = 0; i < ends.rows(); ++i) {
    const Column& time = ends.values().column("level_last_time");
    REQUIRE(time.valid(i) == readings(ends, "level_own")[i].has_value());
    if (time.valid(i)) REQUIRE(*readings(ends, "level_own")[i] == Approx(seconds(time.times()[i])));
  }
  Take unknown;
  CHECK_THROWS_AS(from_text("own(level)", unknown), Error);
}

TEST_CASE("takes are written as they are read", "[statistics]") {
  for (const char* text : {"duration(level > 3.5)", "x=duration(state != run)", "twmean(x,linear)",
                           "at(x)", "slope(x)", "mad(x)", "first_time(x)", "cumsum(x)"}) {
    Take take;
    from_text(text, take);
    CHECK(to_text(take) == text);
  }
  Take take;
  from_text("duration( level>=3 )", take);
  CHECK(take.result_name() == "level_duration");
  CHECK(take.condition == Condition{Condition::Sign::at_least, "3"});
  for (const char* wrong :
       {"duration(x)", "duration(> 3)", "duration(x >)", "duration(x ! 3)", "duration",
        "twmean(x,cubic)", "slope(x,2)", "at(x,step,1)", "mean(x"}) {
    INFO(wrong);
    CHECK_THROWS_AS(from_text(wrong, take), Error);
  }
}

TEST_CASE("weights of zero weigh nothing, and negative ones are left out and told",
          "[statistics]") {
  const auto trades = timeline_of(
      {{clock("00:10"), clock("00:20"), clock("00:30"), clock("00:40")},
       {},
       {{"price", column_of({4.0, 5.0, 6.0, 7.0})}, {"kg", column_of({1.0, 3.0, 0.0, -2.0})}}});
  const Timeline out = resample(trades, {.every = 1h, .take = {wmean("price", "kg")}});
  CHECK(readings(out, "price_wmean") == Readings{4.75});
  REQUIRE(out.account().last().notes.size() == 1);
  CHECK_THAT(out.account().last().notes[0], Catch::Contains("1 records with a negative weight"));
  CHECK_THAT(to_text(out.account()), Catch::Contains("negative weight"));
}

TEST_CASE("infinities and columns without a reading give what they can", "[statistics]") {
  const double inf = INFINITY;
  const auto odd = timeline_of({{clock("00:10"), clock("00:20"), clock("01:10"), clock("02:10")},
                                {},
                                {{"x", column_of({inf, 1.0, -inf, missing})}}});
  const auto of = [&](const Take& take) { return taken(odd, 1h, take); };
  CHECK(of(mean("x")) == Readings{inf, -inf, missing});
  CHECK(of(max("x")) == Readings{inf, -inf, missing});
  CHECK(of(take::std("x")) == Readings{missing, missing, missing});
  CHECK(of(count("x")) == Readings{2, 1, 0});
  const auto none =
      timeline_of({{clock("00:10"), clock("00:20")}, {}, {{"x", column_of({missing, missing})}}});
  for (const Take& take : {mean("x"), mad("x"), slope("x"), twmean("x"), kurtosis("x"),
                           integral("x", Joining::linear), take::at("x"), median("x")}) {
    CHECK(taken(none, 1h, take) == Readings{missing});
  }
  CHECK(taken(none, 1h, up("x")) == Readings{missing});
  CHECK(taken(none, 1h, rms("x")) == Readings{missing});
  // A bucket longer than the data is one bucket.
  CHECK(taken(odd, Period::of_months(1200), count()) == Readings{4});
}

TEST_CASE("integers that do not fit are told, never wrapped", "[statistics]") {
  const std::int64_t big = std::numeric_limits<std::int64_t>::max();
  const auto counts = timeline_of({{clock("00:10"), clock("00:20"), clock("01:10")},
                                   {},
                                   {{"n", integers_of({big, -big - 1, big})}}});
  const Timeline out = resample(counts, {.every = 1h, .take = {sum("n"), range("n"), max("n")}});
  CHECK(out.values().column("n_sum").integers()[0] == -1);
  CHECK(out.values().column("n_max").integers()[0] == big);
  CHECK(out.values().column("n_range").type() == Column::Type::number);
  CHECK(out.values().column("n_range").numbers()[0] == std::ldexp(1.0, 64));
  REQUIRE(out.account().last().notes.size() == 1);
  CHECK_THAT(out.account().last().notes[0], Catch::Contains("n_range: 1 of 2 results"));
}

}  // namespace zerobeat::testing
