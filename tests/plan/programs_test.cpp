// What a program adds to a plan, is told of it, and gets back when something fails.

#include <algorithm>
#include <chrono>
#include <thread>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/plan/plan.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// Does what it is told to: nothing, wait, or throw.
struct Odd {
  static constexpr std::string_view name = "odd";
  static constexpr std::string_view help = "an odd step";

  std::string how{};
  float share = 0.5F;
  std::chrono::minutes every{};
  std::chrono::months span{};
  unsigned short count = 0;

  friend bool operator==(const Odd&, const Odd&) = default;
};

template <typename Visitor, OptionsOf<Odd> O>
void fields(Visitor&& visit, O& o) {
  visit("how", o.how, "HOW", "what to do");
  visit("share", o.share, "X", "a float");
  visit("every", o.every, "PERIOD", "minutes");
  visit("span", o.span, "PERIOD", "months");
  visit("count", o.count, "N", "a small number");
}

Timeline operator|(const Timeline& timeline, const Odd& step) {
  if (step.how == "runtime") throw std::runtime_error("the winch is jammed");
  if (step.how == "error") throw Error(Error::Kind::input, "‹how› error: the gauge is dry");
  return timeline;
}
Reach reach(const Odd&) { return {}; }

std::string rows(int count) {
  std::string text = "time,level_m\n";
  for (int i = 0; i < count; ++i) {
    text +=
        fmt::format("2025-10-{:02}T{:02}:{:02}:00Z,{}\n", 1 + i / 1440, i / 60 % 24, i % 60, i % 7);
  }
  return text;
}

constexpr const char* odd_plan = R"(
[source.tide]
file = "tide.csv"
[series.level]
from = "tide"
steps = [ { odd = { how = "HOW" } }, { fill = {} } ]
[output.level]
file = "level.csv"
)";

Plan odd(const Folder& folder, const std::string& how) {
  folder.put("tide.csv", rows(5));
  std::string text = odd_plan;
  text.replace(text.find("HOW"), 3, how);
  return load_plan(folder.put("plan.toml", text), {.steps = {step_kind<Odd>}});
}

}  // namespace

TEST_CASE("a step that returns what it was given has its own entry in the account", "[plan]") {
  const Folder folder;
  const RunResult result = run_plan(odd(folder, "nothing"));
  std::vector<std::string> steps;
  for (const StepAccount& step : result.account.steps) steps.push_back(step.step);
  CHECK(steps == std::vector<std::string>{"settle", "odd", "fill"});
  CHECK(result.account.steps[1].what == "how=nothing");
  CHECK(result.account.steps[1].rows_out == 5);
  // Without a plan, too, and of a timeline that no step made.
  const Timeline bare = strand("00:00 1");
  const Made made = zerobeat::apply(std::span<const Timeline>(&bare, 1), Odd{});
  CHECK(made.did.step == "odd");
  CHECK(made.timeline->account().last().step == "odd");
}

TEST_CASE("what a step of a program's own throws arrives nested, with series and step", "[plan]") {
  const Folder folder;
  const Plan plan = odd(folder, "runtime");
  std::string told, cause;
  try {
    run_plan(plan);
  } catch (const Error& error) {
    told = error.what();
    CHECK(error.place().ends_with("plan.toml:6: series level, odd"));
    try {
      std::rethrow_if_nested(error);
    } catch (const std::runtime_error& nested) {
      cause = nested.what();
    }
  }
  CHECK_THAT(told, Catch::EndsWith("series level, odd: the winch is jammed"));
  CHECK(cause == "the winch is jammed");
  CHECK_FALSE(folder.has("level.csv"));
  // Errors of the library keep their kind, and are nested as well.
  try {
    run_plan(odd(folder, "error"));
    FAIL("it did not throw");
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::input);
    CHECK(error.option() == "how");
    CHECK(error.value() == "error");
    CHECK_THROWS_AS(std::rethrow_if_nested(error), Error);
  }
}

TEST_CASE("a plan's mistakes have fields: the option, the value, where, and what would be right",
          "[plan]") {
  const Folder folder;
  folder.put("tide.csv", "time,x\n2025-10-20T00:00:00Z,1\n");
  const auto error_of = [&](const std::string& steps, bool runs) {
    const std::string path = folder.put("plan.toml",
                                        "[source.tide]\nfile = \"tide.csv\"\n[series.a]\nfrom = "
                                        "\"tide\"\nsteps = [ " +
                                            steps + " ]\n[output.a]\nfile = \"a.csv\"\n");
    try {
      const Plan plan = load_plan(path);
      if (runs) run_plan(plan);
    } catch (const Error& error) {
      return error;
    }
    FAIL("it was not refused");
    throw std::logic_error("not here");
  };
  const Error value = error_of(R"plan({ fill = { max-gap = "1x: y" } })plan", false);
  CHECK(value.option() == "max_gap");
  CHECK(value.value() == "1x: y");
  CHECK(value.place().ends_with("plan.toml:5: series a, fill"));
  const Error type = error_of("{ fill = { flag = 7 } }", false);
  CHECK(type.option() == "flag");
  const Error late = error_of(R"plan({ select = { columns = "a: b" } })plan", true);
  CHECK(late.place().ends_with("plan.toml:5: series a, select"));
  CHECK(late.value() == "a: b");
  const Error limit = error_of(R"plan({ expect = { rows = "5.." } })plan", true);
  CHECK(limit.kind() == Error::Kind::limit);
  CHECK(limit.place().ends_with("plan.toml:5: series a, expect"));
}

TEST_CASE("options of any size, and durations, are options like others", "[option]") {
  Odd step;
  const auto options = bind_options(step);
  options[1].set("0.25");
  options[2].set("2h");
  options[3].set("1year");
  options[4].set("17");
  CHECK(step.share == 0.25F);
  CHECK(step.every == 120min);
  CHECK(step.span == std::chrono::months(12));
  CHECK(step.count == 17);
  CHECK(describe_options(step) == "share=0.25 every=2h span=1year count=17");
  CHECK(refusal(Error::Kind::usage, [&] { options[2].set("90s"); }) ==
        "\"90s\" is not a whole number of 1min");
  CHECK_THAT(refusal(Error::Kind::usage, [&] { options[2].set("1month"); }),
             Catch::Contains("is not a whole number of 1min"));
  CHECK_THAT(refusal(Error::Kind::usage, [&] { options[3].set("31d"); }),
             Catch::Contains("is not a whole number of 1month"));
  CHECK(refusal(Error::Kind::usage, [&] { options[4].set("70000"); }) ==
        "\"70000\" is out of range");
}

TEST_CASE("a statistic of a program's own has its name in plans", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", rows(6));
  const std::string text = R"plan(
[source.tide]
file = "tide.csv"
[series.level]
from = "tide"
steps = [ { roll = { window = "3", take = "surge(level_m),first_s=age(level_m)" } } ]
[output.level]
file = "level.csv"
)plan";
  const auto surge = [](std::span<const double> x) { return x.back() - x.front(); };
  const auto age = [](std::span<const Instant> times, std::span<const double>) {
    return std::chrono::duration<double>(times.back() - times.front()).count();
  };
  const std::string path = folder.put("plan.toml", text);
  const LoadOptions options{.statistics = {{"surge", surge}, {"age", age}}};
  const Plan plan = load_plan(path, options);
  const RunResult result = run_plan(plan);
  const Timeline& level = result.series.at("level");
  CHECK(readings(level, "level_m_surge") == Readings{missing, missing, 2, 2, 2, 2});
  CHECK(readings(level, "first_s") == Readings{missing, missing, 120, 120, 120, 120});
  // Written as a plan it has the names again.
  const std::string again = zerobeat::plan_text(plan, folder.folder().string());
  CHECK_THAT(again, Catch::Contains("surge(level_m),first_s=age(level_m)"));
  // Without them it is no statistic; a standard name can't be had.
  CHECK_THAT(refusal(Error::Kind::usage, [&] { static_cast<void>(load_plan(path)); }),
             Catch::Contains("\"surge\" is not a statistic"));
  CHECK_THAT(refusal(Error::Kind::usage,
                     [&] {
                       static_cast<void>(load_plan(path, {.statistics = {{"mean", surge}}}));
                     }),
             Catch::Contains("\"mean\" is a statistic already"));
  CHECK_THAT(refusal(Error::Kind::usage,
                     [&] {
                       static_cast<void>(load_plan(path, {.statistics = {{"a b", surge}}}));
                     }),
             Catch::Contains("\"a b\" is no name for a statistic"));
}

TEST_CASE("a run tells how far it is, and never goes back", "[plan]") {
  const Folder folder;
  const Plan plan = odd(folder, "nothing");
  std::vector<Progress> told;
  run_plan(plan,
           {.progress = [&](const Progress& progress) { told.push_back(progress); }, .threads = 2});
  REQUIRE(told.size() >= 4);
  CHECK(told.front().step == "read");
  CHECK(told.front().series == "tide");
  CHECK(told.front().share == 0);
  CHECK(std::ranges::is_sorted(told, {}, &Progress::share));
  CHECK(told.back().step == "write");
  CHECK(told.back().share == 1);
  const auto fill = std::ranges::find(told, std::string("fill"), &Progress::step);
  REQUIRE(fill != told.end());
  CHECK(fill->series == "level");
  // What it throws ends the run, and nothing is written.
  fs::remove(folder.folder() / "level.csv");
  CHECK_THROWS_WITH(run_plan(plan, {.progress =
                                        [](const Progress& progress) {
                                          if (progress.step == "fill")
                                            throw std::domain_error("enough");
                                        }}),
                    Catch::Contains("enough"));
  CHECK_FALSE(folder.has("level.csv"));
  CHECK(refusal(Error::Kind::usage, [&] { run_plan(plan, {.threads = 5'000}); }) ==
        "‹threads› 5000: from 1 to 1024");
}

TEST_CASE("a run that is stopped ends soon and writes nothing", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", rows(40'000));
  const Plan plan = load_plan(folder.put("plan.toml", R"plan(
[source.tide]
file = "tide.csv"
rejects = "rejects.csv"
[series.level]
from = "tide"
steps = [ { roll = { window = "3h", take = "median(level_m),quantile(level_m,0.3)" } }, { fill = {} } ]
[output.level]
file = "level.csv"
)plan"));
  for (const char* when : {"read", "roll", "fill", "write"}) {
    std::stop_source stop;
    const auto stop_at = [&](const Progress& progress) {
      if (progress.step == when) stop.request_stop();
    };
    for (const int threads : {1, 2}) {
      CHECK_THROWS_AS(
          run_plan(plan, {.progress = stop_at, .stop = stop.get_token(), .threads = threads}),
          Stopped);
      CHECK_FALSE(folder.has("level.csv"));
    }
  }
  // From another thread, at any moment: a whole result or none.
  std::size_t finished = 0;
  for (int i = 0; i < 30; ++i) {
    std::stop_source stop;
    std::thread other([&] {
      std::this_thread::sleep_for(std::chrono::microseconds(i * 500));
      stop.request_stop();
    });
    try {
      const RunResult result = run_plan(plan, {.stop = stop.get_token()});
      CHECK(result.series.at("level").rows() == 40'000);
      CHECK(folder.has("level.csv"));
      ++finished;
    } catch (const Stopped& stopped) {
      CHECK(std::string(stopped.what()) == "stopped, as was asked");
    }
    other.join();
    if (finished == 0) CHECK_FALSE(folder.has("level.csv"));
  }
}

TEST_CASE("a step that was moved from says so", "[plan]") {
  Step step = Fill{};
  const Step taken = std::move(step);
  CHECK(taken.name() == "fill");
  CHECK(refusal(Error::Kind::usage, [&] { static_cast<void>(step.name()); }) ==  // NOLINT
        "the step was moved from");
  CHECK_THROWS_AS(Step(step), Error);
}

}  // namespace zerobeat::testing
