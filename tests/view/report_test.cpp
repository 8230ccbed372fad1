#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/view/report.hpp>

#include "io/source/read_task.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using Json = nlohmann::json;

/// A time of 20 October 2025, so many seconds after midnight.
std::string second(double s) {
  const auto t = at("2025-10-20") + Nanoseconds(static_cast<std::int64_t>(s * 1000) * 1'000'000);
  return to_text(t, 3);
}

/// Judges a column of times beside readings that always change.
Judgement judged(const std::vector<std::string>& times, const JudgeOptions& options = {}) {
  std::string text = "time,level_m\n";
  for (std::size_t i = 0; i < times.size(); ++i) text += fmt::format("{},{}.5\n", times[i], i);
  return judge(read_text(text, {}, "tide.csv"), options);
}

/// "kind count line" of a finding, or "none".
std::string told(const Judgement& judgement, const std::string& kind) {
  const auto finding = std::ranges::find(judgement.findings, kind, &Finding::kind);
  if (finding == judgement.findings.end()) return "none";
  return fmt::format("{} {}", finding->count, finding->first_line);
}

std::vector<std::string> each_minute(int n) {
  std::vector<std::string> times;
  for (int i = 0; i < n; ++i) times.push_back(second(60 * i + 0.25));
  return times;
}

std::size_t longest_line(const std::string& text) {
  std::size_t longest = 0, from = 0;
  while (from < text.size()) {
    const std::size_t end = std::min(text.find('\n', from), text.size());
    longest = std::max(longest, end - from);
    from = end + 1;
  }
  return longest;
}

}  // namespace

TEST_CASE("clean records have no findings", "[judge]") {
  CHECK(judged(each_minute(200)).findings.empty());
  CHECK_THAT(report_text(judged(each_minute(200))), Catch::Contains("no findings"));
}

TEST_CASE("each sign of a bad clock is found, counted, and placed", "[judge]") {
  auto times = each_minute(200);
  for (int i = 50; i < 60; ++i) times[static_cast<std::size_t>(i)] = second(60 * i + 3600.25);
  CHECK(told(judged(times), "clock-jump") == "1 52");

  times = each_minute(200);
  for (std::size_t i = 100; i < 106; ++i) times[i] = times[100];
  CHECK(told(judged(times), "stuck-clock") == "6 102");
  CHECK(told(judged(times), "duplicate-times") == "5 103");

  times = each_minute(200);
  times[7] = "1970-01-01T00:00:00Z";
  CHECK(told(judged(times), "round-instant") == "1 9");
  times[7] = "9999-12-31T00:00:00Z";
  CHECK(told(judged(times), "round-instant") == "1 9");
  CHECK(told(judged(times), "out-of-range-time") == "1 9");

  times = each_minute(200);
  times[199] = "2150-01-01T00:00:00.250Z";
  CHECK(told(judged(times, {.now = at("2026-01-01")}), "future-time") == "1 201");
  CHECK(told(judged(times), "future-time") == "none");

  times = each_minute(200);
  for (const std::size_t i : {30, 31, 32, 33}) times[i] = second(60 * static_cast<double>(i));
  CHECK(told(judged(times), "whole-second") == "4 32");

  times = each_minute(200);
  for (int i = 0; i < 200; ++i) times.push_back(second(60 * 200 + 15 * i + 0.25));
  CHECK(told(judged(times), "rate-change") == "1 203");

  times.clear();
  for (int i = 0; i < 200; ++i) times.push_back(second(60 * i + (i * i * 37 % 13)));
  CHECK(told(judged(times), "jitter") != "none");

  times = each_minute(200);
  times[20] = "2025-10-20T00:20:00.1234567891Z";
  CHECK(told(judged(times), "digits-cut") == "1 22");
}

TEST_CASE("a sensor that is stuck is found in its column and strand", "[judge]") {
  std::string text = "time,probe,temperature_c,door\n";
  for (int i = 0; i < 300; ++i) {
    const bool stuck = i >= 120 && i < 160 && i % 2 == 0;
    text += fmt::format("{},cold_{},{:.2f},closed\n", second(30 * i), i % 2,
                        stuck ? -18.0 : -18 - 0.01 * (i * 7 % 50));
  }
  const Judgement by_probe = judge(read_text(text, {.key = "probe"}, "store.csv"));
  CHECK(told(by_probe, "stuck-reading") == "20 122");
  // Without the key the other probe's readings stand between.
  CHECK(told(judge(read_text(text, {}, "store.csv")), "stuck-reading") == "none");
}

TEST_CASE("a report keeps to the width of its terminal and is the same text", "[report]") {
  auto times = each_minute(400);
  times.erase(times.begin() + 100, times.begin() + 130);
  times.erase(times.begin() + 200, times.begin() + 230);
  times.erase(times.begin() + 300, times.begin() + 320);
  times[50] = "soon";
  std::swap(times[10], times[12]);
  times[60] = times[61];
  const Judgement judgement = judged(times);
  const std::string wide = report_text(judgement), narrow = report_text(judgement, {.width = 90});
  CHECK(longest_line(wide) > 90);
  CHECK(longest_line(narrow) <= 90);
  for (const std::string part : {"3 gaps: shortest", "hours that are missing, by the clocks of UTC",
                                 "unreadable-time", "2025-10", "level_m"}) {
    INFO(part);
    CHECK_THAT(wide, Catch::Contains(part));
    CHECK_THAT(narrow, Catch::Contains(part));
  }
  CHECK(wide.find('\033') == std::string::npos);
  CHECK_THAT(report_text(judgement, {.color = true}), Catch::Contains("\033[31munreadable-time"));
  // The worst first: records at fault before what settling is for.
  CHECK(wide.find("unreadable-time") < wide.find("out-of-order"));
}

TEST_CASE("the gap profile is the gaps', by month and hour of the zone's clocks", "[report]") {
  std::string text = "time,v\n";
  for (int i = 0; i < 600; ++i) {
    if ((i >= 100 && i < 110) || (i >= 300 && i < 330)) continue;
    text +=
        fmt::format("{},{}\n", to_text(at("2025-10-31T18:00:00Z") + std::chrono::minutes(i)), i);
  }
  const Zone zone = Zone::find("Asia/Kathmandu");  // 5 h 45 min ahead
  const Json json =
      Json::parse(report_json(judge(read_text(text, {.zone = zone}, "tide.csv"))))["gap_profile"];
  CHECK(json["gaps"] == 2);
  CHECK(json["shortest_s"] == 660);
  CHECK(json["longest_s"] == 1860);
  CHECK(json["mean_s"] == 1260);
  CHECK(json["median_s"] == 1260);
  CHECK(json["covered"].get<double>() == Approx(1 - 2400.0 / (599 * 60)));
  REQUIRE(json["months"].size() == 1);
  CHECK(json["months"][0]["month"] == "2025-11");
  // From a minute after the last record: 01:25 to 01:35, and 04:45 to 05:15.
  const Json& by_hour = json["months"][0]["missing_s"];
  CHECK(by_hour[1] == 600);
  CHECK(by_hour[4] == 900);
  CHECK(by_hour[5] == 900);
  CHECK(by_hour[0] == 0);
}

TEST_CASE("a long gap is missing in every hour of its months", "[report]") {
  std::string text = "time,v\n";
  for (const char* day : {"2025-01-30", "2025-03-02", "2025-03-03"}) {
    for (int hour = 0; hour < 24; ++hour) text += fmt::format("{}T{:02}:00:00Z,1\n", day, hour);
  }
  const Judgement judged = judge(read_text(text, {}, "tide.csv"));
  const Json json = Json::parse(report_json(judged))["gap_profile"];
  const Judgement both[] = {judged, judged};
  CHECK(Json::parse(report_json(both)).size() == 2);
  CHECK(Json::parse(report_json(both))[1] == Json::parse(report_json(judged)));
  CHECK(report_json(std::span(both, 1)) == report_json(judged));
  CHECK(report_json(std::span<const Judgement>()) == "[]\n");
  // From midnight of 31 January to midnight of 2 March.
  REQUIRE(json["months"].size() == 3);
  CHECK(json["months"][0]["missing_s"][7] == 3600);
  CHECK(json["months"][1]["missing_s"][7] == 28 * 3600);
  CHECK(json["months"][2]["missing_s"][7] == 3600);
}

TEST_CASE("readings missing in runs longer than a gap are found", "[report]") {
  const auto finding = [](const std::string& text, const ReadOptions& options) {
    ReadOptions read = options;
    for (const Finding& found : judge(read_text(text, read, "tide.csv")).findings) {
      if (found.kind == "missing-run") return found;
    }
    return Finding{};
  };
  std::string text = "time,probe,v,w\n";
  for (int i = 0; i < 300; ++i) {
    const bool gone = (i >= 100 && i < 106) || i == 200 || i == 210 || i == 211;
    text +=
        fmt::format("{},a,{},{}\n", to_text(at("2025-10-20T00:00:00Z") + std::chrono::minutes(i)),
                    gone ? "" : std::to_string(i), i);
  }
  for (const bool keyed : {false, true}) {
    for (const bool judged_only : {false, true}) {
      detail::ReadTask options;
      if (keyed) options.key = "probe";
      options.judge_only = judged_only && !keyed;
      const Finding found = finding(text, options);
      INFO(keyed << judged_only);
      CHECK(found.count == 6);
      CHECK(found.first_line == 102);
      CHECK_THAT(found.message, Catch::Contains("up to 7 min in v"));
    }
  }
}

TEST_CASE("an account is JSON with its sources and steps", "[report]") {
  const Records records = read_text("time,v\n2025-10-20,1\nbad,2\n2025-10-21,x\n", {}, "a.csv");
  const Json json = Json::parse(account_json(settle(records).account()));
  CHECK(json["sources"][0]["file"] == "a.csv");
  CHECK(json["sources"][0]["records"] == 3);
  CHECK(json["sources"][0]["rejected"] == 1);
  CHECK(json["steps"][0]["step"] == "settle");
  CHECK(json["steps"][0]["rows_in"] == 2);
  CHECK(json["steps"][0]["seconds"] >= 0);
}

}  // namespace zerobeat::testing
