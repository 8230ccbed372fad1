// Whatever works in parallel gives what one thread gives, to the last bit; and under the thread
// sanitizer (scripts/check-threads) no two threads touch one thing.

#include <tbb/global_control.h>
#include <tbb/task_arena.h>

#include <functional>
#include <thread>
#include <zerobeat/align/align.hpp>
#include <zerobeat/align/append.hpp>
#include <zerobeat/align/join.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/compute.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/clean/spells.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/regular/describe.hpp>
#include <zerobeat/regular/expect.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/regular/thin.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

#include "io/source/read_task.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// What `work` gives with so many threads.
template <typename Work>
auto with_threads(int threads, Work&& work) {
  const tbb::global_control most(tbb::global_control::max_allowed_parallelism,
                                 static_cast<std::size_t>(threads));
  tbb::task_arena arena(threads);
  std::optional<decltype(work())> made;
  arena.execute([&] { made.emplace(work()); });
  return std::move(*made);
}

bool same(const Table& a, const Table& b) {
  if (a.names() != b.names() || a.rows() != b.rows()) return false;
  for (std::size_t c = 0; c < a.columns().size(); ++c) {
    if (!(a.columns()[c] == b.columns()[c])) return false;
  }
  return true;
}

bool same(const Timeline& a, const Timeline& b) {
  return a.time_column() == b.time_column() && same(a.values(), b.values());
}

/// Records of three keys in turn, with faults, quotes and missing readings, in many chunks.
std::string records(std::size_t count) {
  std::string text = "time,probe,level,note\n";
  for (std::size_t i = 0; i < count; ++i) {
    text += fmt::format("2025-10-{:02}T{:02}:{:02}:{:02}Z,p{},{},{}\n", 20 + i / 86'400,
                        i / 3600 % 24, i / 60 % 60, i % 60, i % 3,
                        i % 11 == 0 ? "" : fmt::format("{}", static_cast<double>(i * 7 % 1000) / 8),
                        i % 13 == 0  ? "\"a, \"\"b\"\"\nc\""
                        : i % 5 == 0 ? ""
                                     : "plain");
    if (i % 997 == 0) text += "garbled line\n";
  }
  return text;
}

const Timeline& harbour() {
  static const Timeline timeline = random_timeline(6'000, 5, 3);
  return timeline;
}

/// Takes of every kind.
std::vector<Take> takes() {
  std::vector<Take> all;
  from_text("mean(level),sum(kg),std(level),median(level),mode(kg),corr(level,weight),up(level)",
            all);
  return all;
}

}  // namespace

TEST_CASE("records are read alike by any number of threads", "[threads]") {
  const std::string text = records(4'000);
  detail::ReadTask options;
  options.key = "probe";
  options.chunk_bytes = 4'096;
  const auto read = [&] { return read_text(text, options, "harbour.csv"); };
  const Records one = with_threads(1, read);
  REQUIRE(one.size() == 4'000);
  for (const int threads : {2, 4}) {
    const Records many = with_threads(threads, read);
    CHECK(many.times == one.times);
    CHECK(*many.keys == *one.keys);
    CHECK(same(many.values, one.values));
    REQUIRE(many.source->faults.size() == one.source->faults.size());
    for (std::size_t i = 0; i < one.source->faults.size(); ++i) {
      CHECK(many.source->faults[i].line == one.source->faults[i].line);
      CHECK(many.source->faults[i].byte == one.source->faults[i].byte);
    }
    CHECK(same(with_threads(threads, [&] { return settle(many); }), settle(one)));
  }
}

TEST_CASE("a judgement is the same by any number of threads", "[threads]") {
  const std::string text = records(3'000);
  detail::ReadTask options;
  options.judge_only = true;
  options.chunk_bytes = 8'192;
  const auto judged = [&] {
    const Judgement judgement = judge(read_text(text, options, "harbour.csv"), {});
    std::vector<std::string> told;
    for (const Finding& finding : judgement.findings) {
      told.push_back(fmt::format("{} {} {} {}", finding.kind, finding.count, finding.first_line,
                                 finding.message));
    }
    return told;
  };
  CHECK(with_threads(4, judged) == with_threads(1, judged));
}

TEST_CASE("each step gives what one thread gives", "[threads]") {
  const Timeline& in = harbour();
  const std::vector<Timeline> two{in.named("a"), random_timeline(2'000, 6, 3).named("b")};
  std::vector<Assignment> sums(1);
  from_text("s=level*2+coalesce(weight,0)", sums[0]);
  const std::pair<const char*, std::function<Timeline()>> steps[] = {
      {"select", [&] { return select(in, {.where = Expression("level > 2 and weight < 8")}); }},
      {"compute", [&] { return compute(in, {.set = sums}); }},
      {"resample", [&] { return resample(in, {.every = Period(17min), .take = takes()}); }},
      {"fill", [&] { return fill(in, {.how = Fill::How::linear}); }},
      {"clip", [&] { return clip(in, {.by = Spread{3}, .window = Extent(31)}); }},
      {"roll by rows", [&] { return roll(in, {.window = Extent(31), .take = takes()}); }},
      {"roll by time",
       [&] {
         return roll(in, {.window = Extent(20min), .take = takes(), .place = Place::centred});
       }},
      {"lag", [&] { return lag(in, {.by = Extent(10min)}); }},
      {"join", [&] { return join(two[0], two[1], {.tolerance = Period(5min)}); }},
      {"thin", [&] { return thin(in, {.points = 200, .on = {"level"}}); }},
  };
  for (const auto& [name, step] : steps) {
    INFO(name);
    CHECK(same(with_threads(4, step), with_threads(1, step)));
  }
}

TEST_CASE("tables are the same by any number of threads", "[threads]") {
  const Timeline& in = harbour();
  const auto by_hour = [&] {
    return profile(in, {.by = {{Part::Kind::hour}}, .take = takes()}).table;
  };
  CHECK(same(with_threads(4, by_hour), with_threads(1, by_hour)));
  const auto described = [&] { return describe(in, {}).table; };
  CHECK(same(with_threads(4, described), with_threads(1, described)));
}

TEST_CASE("Parquet is written and read alike by any number of threads", "[threads]") {
  const Folder folder;
  write(harbour(), folder.path("one.parquet"));
  const std::string bytes = folder.get("one.parquet");
  const auto read = [&] {
    return settle(read_records(folder.path("one.parquet"), {.key = "probe"}));
  };
  const Timeline one = with_threads(1, read);
  CHECK(one.rows() == harbour().rows());
  for (const int threads : {1, 2, 4}) {
    with_threads(threads, [&] {
      write(harbour(), folder.path("many.parquet"));
      return true;
    });
    CHECK(folder.get("many.parquet") == bytes);
    CHECK(same(with_threads(threads, read), one));
  }
}

TEST_CASE("several sources are one, and demands are judged, by any number of threads",
          "[threads]") {
  const std::vector<Timeline> all{harbour(), random_timeline(3'000, 6, 4),
                                  random_timeline(2'000, 7, 2)};
  const auto together = [&] { return append(std::span<const Timeline>(all), Append{}); };
  const Timeline one = with_threads(1, together);
  const auto told = [&] {
    return refusal(Error::Kind::limit, [&] {
      expect(one, {.rows = CountRange{5'000, {}}, .range = {{"level", {0, 5}}}, .unique = true});
    });
  };
  const std::string all_told = with_threads(1, told);
  CHECK_THAT(all_told, Catch::Contains("3 demands are not met"));
  for (const int threads : {2, 4}) {
    CHECK(same(with_threads(threads, together), one));
    CHECK(with_threads(threads, told) == all_told);
    CHECK(same(with_threads(threads, [&] { return settle(one, {.key = "kg"}); }),
               with_threads(1, [&] { return settle(one, {.key = "kg"}); })));
  }
}

TEST_CASE("timelines are shared by threads that read them", "[threads]") {
  const Timeline& in = harbour();
  const double expected = *readings(resample(in, {.every = EqualBuckets{1}}), "level_mean")[0];
  std::vector<double> got(8);
  std::vector<std::thread> threads;
  for (std::size_t t = 0; t < got.size(); ++t) {
    threads.emplace_back([&, t] {
      const Timeline mine = in;  // a copy shares the columns
      got[t] = *readings(resample(mine, {.every = EqualBuckets{1}}), "level_mean")[0];
    });
  }
  for (std::thread& thread : threads) thread.join();
  for (const double value : got) CHECK(value == expected);
}

TEST_CASE("outputs that are written side by side come each whole", "[threads]") {
  const Folder folder;
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t) {
    threads.emplace_back([&, t] {
      for (int round = 0; round < 5; ++round) {
        Output output(folder.path(fmt::format("{}.csv", t)));
        for (int line = 0; line < 200; ++line) output.write(fmt::format("{}\n", t));
        output.commit();
      }
    });
  }
  for (std::thread& thread : threads) thread.join();
  CHECK(folder.files() == std::vector<std::string>{"0.csv", "1.csv", "2.csv", "3.csv"});
  for (int t = 0; t < 4; ++t) {
    std::string expected;
    for (int line = 0; line < 200; ++line) expected += fmt::format("{}\n", t);
    CHECK(folder.get(fmt::format("{}.csv", t)) == expected);
  }
}

}  // namespace zerobeat::testing
