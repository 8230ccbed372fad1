// Times through the real tool: stamping, calendars, forms, accounts, the judgement.

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::times {

namespace {

using Json = nlohmann::json;

constexpr const char* capture =
    "unit: winch 2\nstarted: 2025-10-25T22:14:03.250Z\nsample rate: 512 Hz\ndrum_g,motor_g\n"
    "0.1,0.5\n0.2,0.6\n0.3,0.7\n";

constexpr const char* holidays =
    "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//brannoc//EN\nBEGIN:VEVENT\nUID:1\n"
    "DTSTART;VALUE=DATE:20201027\nRRULE:FREQ=YEARLY\nEXDATE;VALUE=DATE:20231027\nEND:VEVENT\n"
    "BEGIN:VEVENT\nUID:2\nDTSTART;VALUE=DATE:20251224\nDTEND;VALUE=DATE:20251227\nEND:VEVENT\n"
    "BEGIN:VEVENT\nUID:3\nDTSTART;VALUE=DATE:20251028\nSTATUS:CANCELLED\nEND:VEVENT\n"
    "BEGIN:VEVENT\nUID:4\nDTSTART:20251029T100000Z\nEND:VEVENT\nEND:VCALENDAR\n";

std::string first_column(const std::string& csv) {
  std::string out;
  for (std::size_t at = csv.find('\n') + 1; at < csv.size(); at = csv.find('\n', at) + 1) {
    out += csv.substr(at, csv.find_first_of(",\n", at) - at) + " ";
  }
  return out;
}

}  // namespace

TEST_CASE("stamp takes start and rate from the preamble or from options", "[tool][stamp]") {
  const Bench bench;
  bench.put("winch.csv", capture);
  const Result stamped =
      bench.run("stamp winch.csv --start-from started --rate-from 'sample rate' --elapsed");
  CHECK(stamped.exit == 0);
  CHECK(stamped.out ==
        "time,elapsed_s,drum_g,motor_g\n2025-10-25T22:14:03.250000000Z,0,0.1,0.5\n"
        "2025-10-25T22:14:03.251953125Z,0.001953125,0.2,0.6\n"
        "2025-10-25T22:14:03.253906250Z,0.00390625,0.3,0.7\n");
  CHECK(first_column(
            bench.run("stamp winch.csv --start 2009-Q2 --every 1quarter --time-as quarter").out) ==
        "2009-Q2 2009-Q3 2009-Q4 ");
  CHECK(first_column(bench
                         .run("stamp winch.csv --start 2025-10-25 --every 1h --zone Europe/Dublin "
                              "--local")
                         .out) ==
        "2025-10-25T00:00:00+01:00 2025-10-25T01:00:00+01:00 2025-10-25T02:00:00+01:00 ");
  CHECK(bench.run("stamp winch.csv --start 2025 --rate 5kg").exit == 2);
  CHECK(bench.run("stamp winch.csv --start 2025").exit == 2);
  CHECK(bench.run("stamp winch.csv --rate-from nothing --start 2025").exit == 3);
  bench.put("two.csv", "rate, 512, 256\na,b\n1,2\n3,4\n");
  const Result apart = bench.run("stamp two.csv --rate-from rate --start 2025 -o out.csv");
  CHECK(apart.exit == 3);
  CHECK_THAT(apart.err, Catch::Contains("two.csv: --rate-from: the channels do not agree"));
  CHECK_FALSE(bench.has("out.csv"));
}

TEST_CASE("working days come from a list of dates or an iCalendar file", "[tool][stamp]") {
  const Bench bench;
  bench.put("kg.csv", "kg\n1\n2\n3\n");
  bench.put("days.ics", holidays);
  bench.put("days.csv", "day,name\n2025-10-27,harbour day\n\n# none\n2025-10-28;fair\n");
  const auto days = [&](const std::string& words) {
    return first_column(bench.run("stamp kg.csv --every 1d --time-as %F --start " + words).out);
  };
  CHECK(days("2025-10-24") == "2025-10-24 2025-10-25 2025-10-26 ");
  CHECK(days("2025-10-24 --weekend sat,sun") == "2025-10-24 2025-10-27 2025-10-28 ");
  CHECK(days("2025-10-24 --holidays days.ics") == "2025-10-24 2025-10-28 2025-10-29 ");
  CHECK(days("2023-10-26 --holidays days.ics") == "2023-10-26 2023-10-27 2023-10-30 ");
  CHECK(days("2025-12-23 --holidays days.ics --weekend none") ==
        "2025-12-23 2025-12-27 2025-12-28 ");
  CHECK(days("2025-10-24 --holidays days.csv") == "2025-10-24 2025-10-29 2025-10-30 ");
  bench.put("bad.csv", "2025-10-27\n2025-13-01\n");
  const Result bad = bench.run("stamp kg.csv --every 1d --start 2025 --holidays bad.csv");
  CHECK(bad.exit == 3);
  CHECK_THAT(bad.err, Catch::Contains("bad.csv:2: \"2025-13-01\" is not a date"));
  bench.put("bad.ics",
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART;VALUE=DATE:soon\nEND:VEVENT\nEND:VCALENDAR\n");
  CHECK(bench.run("stamp kg.csv --every 1d --start 2025 --holidays bad.ics").exit == 3);
  CHECK(bench.run("stamp kg.csv --every 1d --start 2025 --holidays none.ics").exit == 3);
  bench.put("endless.ics",
            "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nDTSTART;VALUE=DATE:20250101\n"
            "DTEND;VALUE=DATE:22500101\nRRULE:FREQ=DAILY\nSUMMARY:for ever\nEND:VEVENT\n"
            "END:VCALENDAR\n");
  const Result endless = bench.run("stamp kg.csv --every 1d --start 2025 --holidays endless.ics");
  CHECK(endless.exit == 3);
  CHECK_THAT(endless.err, Catch::Contains("the event \"for ever\""));

  bench.put("landings.csv",
            "date,kg\n2025-10-22,1\n2025-10-23,2\n2025-10-24,3\n2025-10-28,4\n2025-10-29,4\n");
  const auto gaps = [&](const std::string& words) {
    return Json::parse(bench.run("check landings.csv --json " + words).out)["strands"][0]["gaps"];
  };
  CHECK(gaps("") == 1);
  CHECK(gaps("--holidays days.ics") == 0);
}

TEST_CASE("times are written in every form, and those that claim it read back", "[tool]") {
  const Bench bench;
  bench.put(
      "tide.csv",
      "time,v\n2025-10-26T00:30:00.250Z,1\n2025-10-26T01:30:00.250Z,2\n2025-10-26T02:30:00Z,3\n");
  const std::string plain = bench.run("settle tide.csv").out;
  for (const char* form : {"rfc3339", "epoch-s", "epoch-ms", "epoch-us", "epoch-ns"}) {
    INFO(form);
    for (const char* local : {"", " --local --zone Europe/Dublin"}) {
      bench.put("out.csv", bench.run(std::string("settle tide.csv --time-as ") + form + local).out);
      CHECK(bench.run("settle out.csv --time time").out == plain);
    }
  }
  const std::string pattern = "'%d/%m/%Y %H:%M:%S.%f %z'";
  bench.put("out.csv",
            bench.run("settle tide.csv --local --zone Europe/Dublin --time-as " + pattern).out);
  CHECK_THAT(bench.get("out.csv"), Catch::Contains("26/10/2025 01:30:00.250 +0100") &&
                                       Catch::Contains("26/10/2025 01:30:00.250 +0000"));
  CHECK(bench.run("settle out.csv --time-format " + pattern).out == plain);
  CHECK(bench.run("settle tide.csv --time-as elapsed").out ==
        "elapsed_s,v\n0.000,1\n3600.000,2\n7199.750,3\n");
  CHECK(bench.run("settle tide.csv --time-as soon").exit == 2);
}

TEST_CASE("the account travels as JSON from any command", "[tool]") {
  const Bench bench;
  bench.put(
      "tide.csv",
      "time,v\n2025-10-20T00:00:00Z,1\n2025-10-20T00:10:00Z,\nbad,3\n2025-10-20T00:20:00Z,3\n");
  CHECK(bench.run("fill tide.csv --tolerate 1 --account account.json").exit == 0);
  const Json account = Json::parse(bench.get("account.json"));
  CHECK(account["sources"][0]["records"] == 4);
  CHECK(account["sources"][0]["rejected_by_reason"] == Json{{"unreadable-time", 1}});
  REQUIRE(account["steps"].size() == 2);
  CHECK(account["steps"][1]["step"] == "fill");
  CHECK(account["steps"][1]["cells_filled"] == 1);
  // When a limit is passed, what was read is still told.
  CHECK(bench.run("roll tide.csv --window 2 --account other.json -o out.csv").exit == 4);
  CHECK(Json::parse(bench.get("other.json"))["sources"][0]["rejected"] == 1);
  CHECK_FALSE(bench.has("out.csv"));
  CHECK(bench.run("check tide.csv --tolerate 1 --account no/folder.json").exit == 5);
  CHECK(bench.run("explain plan.toml --account account.json").exit == 2);
}

TEST_CASE("check says when gaps fall and what is wrong with clocks and keys", "[tool]") {
  const Bench bench;
  std::string text = "time,probe,v\n";
  for (int hour = 0; hour < 24; ++hour) {
    for (int minute = 0; minute < 60; minute += 2) {
      if (minute < 20 && hour > 20) continue;
      text +=
          fmt::format("2025-10-20T{:02}:{:02}:00.{:03}Z,{},{}\n", hour, minute,
                      (minute * 7) % 900 + 1, minute == 50 ? "Cold_1 " : "cold_1", minute + hour);
    }
  }
  text += "1970-01-01T00:00:00.000Z,cold_1,1\n2150-01-01T00:00:00.500Z,cold_1,2\n";
  bench.put("store.csv", text);
  const Result result = bench.run("check store.csv --json --key probe --gap-factor 5");
  CHECK(result.exit == 0);
  const Json judged = Json::parse(result.out);
  std::map<std::string, int> counts;
  for (const auto& finding : judged["findings"]) counts[finding["kind"]] = finding["count"];
  CHECK(counts["key-spelling"] == 24);
  CHECK(counts["round-instant"] == 1);
  CHECK(counts["future-time"] == 1);
  const Json& profile = judged["gap_profile"];
  CHECK(profile["gaps"] == counts["gap"]);
  // From 1970 on and until 2150 all is missing but that day, and on it twenty minutes after nine.
  const Json& months = profile["months"];
  const auto october =
      std::ranges::find_if(months, [](const Json& month) { return month["month"] == "2025-10"; });
  REQUIRE(october != months.end());
  CHECK((*october)["missing_s"][21].get<double>() == Approx(30 * 3600 + 20 * 60).margin(1));
  const Result report = bench.run("check store.csv --key probe");
  CHECK_THAT(report.out, Catch::Contains("hours that are missing, by the clocks of UTC") &&
                             Catch::Contains(" 22 ") &&
                             Catch::Contains("\"Cold_1 \" beside \"cold_1\""));
}

}  // namespace zerobeat::testing::times
