#include <cstdio>
#include <fstream>
#include <nlohmann/json.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/view/plot.hpp>
#include <zerobeat/view/report.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

std::string drawn(std::span<const Timeline> timelines, const Figure& look,
                  const std::string& ending, const Timeline* over = nullptr) {
  const Folder folder;
  const std::string path = folder.path("plot" + ending);
  Output output(path);
  plot(Plotted{.timelines = timelines, .over = over}, look, output, path);
  output.commit();
  return folder.get("plot" + ending);
}

}  // namespace

TEST_CASE("ticks stand at round local times, across a change of the clocks", "[ticks]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  const auto ticks =
      detail::time_ticks(at("2025-10-25T22:00:00Z"), at("2025-10-26T06:00:00Z"), dublin, 10);
  REQUIRE(ticks.size() > 5);
  CHECK(ticks[0].label == "23:00\\nSat 25 Oct 2025");
  CHECK(ticks[1].label == "00:00\\nSun 26 Oct");
  for (std::size_t i = 1; i < ticks.size(); ++i) CHECK(ticks[i].at > ticks[i - 1].at);
  const auto changes =
      detail::clock_changes(at("2025-10-25T22:00:00Z"), at("2025-10-26T06:00:00Z"), dublin);
  REQUIRE(changes.size() == 1);
  CHECK(changes[0].at == at("2025-10-26T01:00:00Z"));
  CHECK(changes[0].by == -1h);
}

TEST_CASE("ticks are never many, from microseconds to centuries", "[ticks]") {
  const Instant start = at("1990-03-05T10:20:30.123456Z");
  for (Nanoseconds span = 20us; span < 24h * 365 * 90; span *= 3) {
    const auto ticks = detail::time_ticks(start, start + span, Zone(), 11);
    INFO(span.count());
    CHECK(!ticks.empty());
    CHECK(ticks.size() <= 14);
  }
}

TEST_CASE("pictures are PNG or SVG of the size asked", "[plot]") {
  const std::vector<Timeline> one{strand("00:00 1", "00:10 2", "00:20 -", "00:30 1", "00:40 3")};
  const std::string png = drawn(one, {.size = {640, 480}}, ".png");
  REQUIRE(png.size() > 24);
  CHECK(png.substr(1, 3) == "PNG");
  CHECK((static_cast<unsigned char>(png[18]) << 8 | static_cast<unsigned char>(png[19])) == 640);
  const std::string svg = drawn(one, {}, ".svg", &one[0]);
  CHECK(svg.find("<svg") != std::string::npos);
  CHECK(svg.find("level (harbour)") != std::string::npos);
  // A line is called what the key calls it.
  CHECK_THAT(svg, Catch::Contains("><title>level (harbour)</title>"));
}

TEST_CASE("a line stays open where readings are missing", "[plot]") {
  const auto paths = [&](const Timeline& timeline) {
    const std::string svg = drawn(std::vector{timeline}, {}, ".svg");
    std::size_t moves = 0;
    const std::size_t from = svg.find(" ><title>level</title>");
    const std::size_t until = svg.find("</g>", svg.find("<path", from));
    for (std::size_t i = from; i < until; ++i) moves += svg[i] == 'M';
    return moves;
  };
  CHECK(paths(strand("00:00 1", "00:10 2", "00:20 -", "00:30 1", "00:40 3")) ==
        paths(strand("00:00 1", "00:10 2", "00:20 2", "00:30 1", "00:40 3")) + 1);
}

TEST_CASE("a picture of nothing, or of what is not there, is refused", "[plot]") {
  const std::vector<Timeline> one{strand("00:00 1")};
  CHECK_THROWS_WITH(drawn(one, {.y = {"levl"}}, ".png"), Catch::Contains("did you mean level?"));
  CHECK_THROWS_AS(drawn(one, {}, ".gif"), Error);
  // Of nothing there is an empty frame that says so: a nightly plan goes on.
  const std::vector<Timeline> empty{timeline_of({{}, {}, {{"level", column_of({})}}})};
  CHECK_THAT(drawn(empty, {}, ".svg"), Catch::Contains("there is nothing to draw: no rows"));
  Size size;
  CHECK_THROWS_AS(from_text("10x10", size), Error);
}

TEST_CASE("a judgement is a report and the same as JSON", "[report]") {
  std::string text = "time,level_m\n";
  for (int i = 0; i < 20; ++i)
    text += fmt::format("2025-10-20T00:{:02}:00.250Z,{}\n", i * 2, i == 3 ? "ERR" : "1.5");
  text += "soon,1\n";
  const Judgement judged = judge(read_text(text, {.time = "time"}, "tide.csv"));
  const auto json = nlohmann::json::parse(report_json(judged));
  CHECK(json["records"] == 21);
  CHECK(json["kept"] == 20);
  CHECK(json["rejected_by_reason"] == nlohmann::json{{"unreadable-time", 1}});
  CHECK(json["unreadable_readings"] == 1);
  CHECK(json["time"]["format"] == "iso");
  CHECK(json["strands"][0]["key"].is_null());
  CHECK(json["strands"][0]["first"] == "2025-10-20T00:00:00.250Z");
  CHECK(json["strands"][0]["typical_step_s"] == 120.0);
  CHECK(json["columns"][0] ==
        nlohmann::json{
            {"name", "level_m"}, {"type", "number"}, {"missing", 1}, {"min", 1.5}, {"max", 1.5}});
  const std::string report = report_text(judged);
  CHECK_THAT(report, Catch::Contains("21 records = 20 kept + 1 rejected + 0 merged"));
  CHECK_THAT(report, Catch::Contains("unreadable-reading"));
}

}  // namespace zerobeat::testing
