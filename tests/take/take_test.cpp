// Takes as they are written: quotes, every form, and every mistake by name.

#include <set>
#include <zerobeat/take/take.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Take read(const std::string& text) {
  Take take;
  from_text(text, take);
  return take;
}

std::string refusal(const std::string& text) {
  try {
    std::vector<Take> takes;
    from_text(text, takes);
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::usage);
    return error.what();
  }
  return "";
}

Table table() {
  Table table(2);
  table.add("level", column_of({1, 2}));
  table.add("kg", integers_of({1, 2}));
  table.add("gear", texts_of({"pot", "line"}));
  table.add("seen", Column::times(Buffer<Instant>(2, clock("00:00"))));
  Buffer<std::uint64_t> bits(1, 1);
  table.add("open", Column::booleans(std::move(bits), 2));
  return table;
}

/// Why a take does not go with the table's columns, in a step.
std::string mismatch(const std::string& text, TakenBy by = TakenBy::buckets) {
  try {
    std::vector<Take> takes;
    from_text(text, takes);
    resolve_takes(takes, table(), Stat::mean, by, "resample", "time", "probe");
  } catch (const Error& error) {
    return error.what();
  }
  return "";
}

}  // namespace

TEST_CASE("a column whose name is no plain word stands in double quotes", "[take]") {
  CHECK(read("mean(\"pressure (hPa)\")") == mean("pressure (hPa)"));
  CHECK(read("max(\"a,b\")") == max("a,b"));
  CHECK(read("wmean(\"price (EUR)\",\"kg, net\")") == wmean("price (EUR)", "kg, net"));
  CHECK(read("quantile( \"a)\" , 95% )") == quantile("a)", 0.95));
  CHECK(read("corr(\"x=y\",\"a>b\")") == corr("x=y", "a>b"));
  CHECK(read("duration(\"a > b\" >= 2)") == duration("a > b", Condition::Sign::at_least, "2"));
  CHECK(read("\"my mean, (x)\"=mean(x)") == mean("x").as("my mean, (x)"));
  CHECK(read("count(\"a \"\"b\"\"\")") == count("a \"b\""));
}

TEST_CASE("a take with any name in it is written so that it reads back", "[take]") {
  const std::string names[] = {"x",          "a b",        "a,b", "(",     "a)b",
                               "\"quoted\"", " x ",        "a=b", "x > 3", "a\"b\"c",
                               "é",          "tide:level", "=",   "<>!",   "mean(x)"};
  std::vector<Take> together;
  for (const std::string& name : names) {
    for (const Take& take :
         {mean(name), quantile(name, 0.25), wmean(name, name), corr(name, "y"),
          twmean(name, Joining::linear), duration(name, Condition::Sign::unequal, "4"),
          ewma(name, Decay{.share = 0.5}), mean("x").as(name), rms(name), cv(name)}) {
      INFO(to_text(take));
      CHECK(read(to_text(take)) == take);
      together.push_back(take);
    }
  }
  std::vector<Take> again;
  from_text(to_text(together), again);
  CHECK(again == together);
}

TEST_CASE("a source before takes holds for what follows it", "[take]") {
  std::vector<Take> takes;
  from_text("mean(x),tide:max(level),min(level),\"a:b\":sum(kg)", takes);
  REQUIRE(takes.size() == 4);
  CHECK(takes[0].source.empty());
  CHECK(takes[1].source == "tide");
  CHECK(takes[2].source == "tide");
  CHECK(takes[3].source == "a:b");
  std::vector<Take> again;
  from_text(to_text(takes), again);
  CHECK(again == takes);
}

TEST_CASE("results are named for column and statistic", "[take]") {
  CHECK(read("mean(x)").result_name() == "x_mean");
  CHECK(read("rms(x)").result_name() == "x_rms");
  CHECK(read("cv(x)").result_name() == "x_cv");
  CHECK(read("quantile(x,0.95)").result_name() == "x_q95");
  CHECK(read("quantile(x,0.995)").result_name() == "x_q99_5");
  CHECK(read("quantile(x,0)").result_name() == "x_q0");
  CHECK(read("count()").result_name() == "count");
  CHECK(read("n=count()").result_name() == "n");
}

TEST_CASE("what is no take is refused with what would be right", "[take]") {
  CHECK_THAT(refusal("avg(x)"), Catch::Contains("\"avg\" is not a statistic; did you mean mean?"));
  CHECK_THAT(refusal("root(x)"), Catch::Contains("\"root\" is not a statistic"));
  CHECK_THAT(refusal("mean(x"), Catch::Contains("\"mean(x\" lacks a closing bracket"));
  CHECK_THAT(refusal("mean()"), Catch::Contains("mean takes one column: mean(x)"));
  CHECK_THAT(refusal("mean(x,y)"), Catch::Contains("mean takes one column: mean(x)"));
  CHECK_THAT(refusal("=mean(x)"), Catch::Contains("has no name before ="));
  CHECK_THAT(refusal("n=mean"), Catch::Contains("gives one name to every numeric column"));
  CHECK_THAT(refusal("quantile"), Catch::Contains("quantile takes a column and a share"));
  CHECK_THAT(refusal("quantile(x)"), Catch::Contains("quantile takes a column and a share"));
  CHECK_THAT(refusal("quantile(x,half)"), Catch::Contains("the share is a number, not \"half\""));
  CHECK_THAT(refusal("quantile(x,1.5)"), Catch::Contains("the share is a number from 0 to 1"));
  CHECK_THAT(refusal("quantile(x,101%)"), Catch::Contains("from 0 to 1, not \"101%\""));
  CHECK_THAT(refusal("wmean(x)"), Catch::Contains("a column of weights: wmean(x,w)"));
  CHECK_THAT(refusal("corr(x)"), Catch::Contains("two columns: corr(x,y)"));
  CHECK_THAT(refusal("twmean(x,spline)"),
             Catch::Contains("a column, and step or linear: twmean(x,linear), not \"spline\""));
  CHECK_THAT(refusal("ewma(x)"), Catch::Contains("ewma(x,0.94), ewma(x,1h)"));
  CHECK_THAT(refusal("ewma(x,1.5)"), Catch::Contains("lies between 0 and 1, not 1.5"));
  CHECK_THAT(refusal("ewma(x,0)"), Catch::Contains("lies between 0 and 1, not 0"));
  CHECK_THAT(refusal("ewma(x,soon)"), Catch::Contains("give a half-life, like 1h"));
  CHECK_THAT(refusal("ewma(x,1month)"), Catch::Contains("is not always as long"));
  CHECK_THAT(refusal("duration(x)"), Catch::Contains("a condition: duration(x > 3.5)"));
  CHECK_THAT(refusal("duration(> 3)"), Catch::Contains("a condition: duration(x > 3.5)"));
  CHECK_THAT(refusal("duration(x >< 3)"), Catch::Contains("\"><\" is not one of"));
  CHECK_THAT(refusal("duration(x > )"), Catch::Contains("there is nothing after >"));
  CHECK_THAT(refusal(""), Catch::Contains("names no statistic; write it like mean(level_m)"));
  CHECK_THAT(refusal("mean(\"x)"), Catch::Contains("the quote that begins here is not closed"));
  CHECK_THAT(refusal("mean(\"x\"y)"), Catch::Contains("after the closing quote"));
}

TEST_CASE("a take that does not go with its column is refused by name", "[take]") {
  CHECK_THAT(mismatch("mean(gear)"),
             Catch::Contains("mean(gear): column \"gear\" holds text, not numbers; of those there "
                             "are count first last"));
  CHECK_THAT(mismatch("mean(depth)"), Catch::Contains("there is no column \"depth\""));
  CHECK_THAT(mismatch("wmean(level,gear)"),
             Catch::Contains("the weights \"gear\" are not numbers"));
  CHECK_THAT(mismatch("corr(level,gear)"),
             Catch::Contains("the readings of \"gear\" are not numbers"));
  CHECK_THAT(mismatch("duration(level > soon)"),
             Catch::Contains("what numbers are compared with is a number, not \"soon\""));
  CHECK_THAT(mismatch("duration(gear > pot)"), Catch::Contains("holds no numbers; it goes with = "
                                                               "and !="));
  CHECK_THAT(mismatch("duration(open = maybe)"),
             Catch::Contains("is true or false, not \"maybe\""));
  CHECK_THAT(mismatch("duration(seen = x)"), Catch::Contains("holds times, which have no such"));
  CHECK_THAT(mismatch("mean(level),mean(level)"),
             Catch::Contains("two columns would be named \"level_mean\"; give one a name: "
                             "NAME=mean(level)"));
  CHECK_THAT(mismatch("time=mean(level)"), Catch::Contains("named \"time\""));
  CHECK_THAT(mismatch("probe=mean(level)"), Catch::Contains("named \"probe\""));
  CHECK_THAT(mismatch("ohlc(level),level_high=max(kg)"), Catch::Contains("\"level_high\""));
  CHECK(mismatch("ohlc(level),max(level)").empty());
  CHECK(mismatch("count(gear),duration(gear = pot),first(seen)").empty());
}

TEST_CASE("a statistic that a step has not is refused with those that it has", "[take]") {
  CHECK_THAT(mismatch("lag(level)"), Catch::StartsWith("lag is not a statistic of resample, which "
                                                       "has count sum mean"));
  CHECK_THAT(mismatch("at(level)", TakenBy::windows), Catch::Contains("at is not a statistic of"));
  CHECK_THAT(mismatch("rms(level)", TakenBy::lags), Catch::Contains("which has lag lead diff"));
  CHECK_THAT(mismatch("zscore(level)", TakenBy::spells), Catch::Contains("zscore is not"));
}

TEST_CASE("a statistic without a column is of every numeric one", "[take]") {
  std::vector<Take> takes;
  from_text("mean,rms", takes);
  const auto resolved =
      resolve_takes(takes, table(), Stat::mean, TakenBy::buckets, "resample", "time", "");
  REQUIRE(resolved.size() == 4);
  CHECK(to_text(resolved) == "mean(level),mean(kg),rms(level),rms(kg)");
  CHECK(columns_of(takes) == std::nullopt);
  from_text("wmean(level,kg),count()", takes);
  CHECK(columns_of(takes) == std::vector<std::string>{"level", "kg"});
}

TEST_CASE("each row of the table says what it is", "[take]") {
  std::set<std::string> words;
  for (const Statistic& row : statistics()) {
    INFO(row.word);
    CHECK(words.insert(std::string(row.word)).second);
    CHECK(&row_of(row.stat) == &row);
    CHECK(static_cast<unsigned>(row.by) != 0);
    CHECK(row.least >= (row.result == Result::count && row.needs != Needs::before ? 0 : 1));
  }
  CHECK(word(Stat::own) == "own");
  CHECK(statistics_of(TakenBy::lags).size() == 7);
}

}  // namespace zerobeat::testing
