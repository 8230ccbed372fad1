#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "support/tool.hpp"

namespace zerobeat::testing::report {

namespace {

std::string store() {
  std::string text = "time,probe,t_c,door\n";
  for (int i = 0; i < 600; ++i) {
    for (const char* probe : {"north", "south"}) {
      if (i > 300 && i < 340) continue;
      text += fmt::format("2025-10-{:02}T{:02}:{:02}:00Z,{},{},shut\n", 20 + i / 144, i / 6 % 24,
                          i % 6 * 10, probe,
                          i == 77 ? "ERR" : fmt::format("{:.2f}", -18 + std::sin(i / 9.0)));
    }
  }
  return text + "soon,north,1,shut\n2025-10-24T05:00:00Z,north\n";
}

/// The values of an attribute, in order.
std::vector<std::string> values_of(const std::string& html, const std::string& name) {
  std::vector<std::string> values;
  const std::string begin = " " + name + "=\"";
  for (std::size_t at = html.find(begin); at != std::string::npos; at = html.find(begin, at + 1)) {
    const std::size_t from = at + begin.size();
    values.push_back(html.substr(from, html.find('"', from) - from));
  }
  return values;
}

/// A page without its script.
std::string page_of(const std::string& html) {
  const std::size_t from = html.find("<script>"), to = html.find("</script>");
  REQUIRE(from < to);
  return html.substr(0, from) + html.substr(to + std::string("</script>").size());
}

/// One section of a page.
std::string section_of(const std::string& html, const std::string& id) {
  const std::size_t from = html.find("<section id=\"" + id + "\"");
  REQUIRE(from != std::string::npos);
  return html.substr(from, html.find("</section>", from) - from);
}

/// Whether every tag that is opened is closed, in order.
void check_tags(const std::string& whole) {
  const std::string html = page_of(whole);
  std::vector<std::string> open;
  const std::set<std::string> alone{"meta", "br", "!DOCTYPE"};
  for (std::size_t at = html.find('<'); at != std::string::npos; at = html.find('<', at + 1)) {
    const std::size_t end = html.find('>', at);
    REQUIRE(end != std::string::npos);
    const bool closes = html[at + 1] == '/';
    const std::size_t from = at + (closes ? 2 : 1);
    const std::string name = html.substr(from, html.find_first_of(" >/\n", from) - from);
    if (closes) {
      INFO(html.substr(at, 80));
      REQUIRE(!open.empty());
      REQUIRE(open.back() == name);
      open.pop_back();
    } else if (html[end - 1] != '/' && !alone.contains(name)) {
      open.push_back(name);
    }
  }
  CHECK(open.empty());
}

}  // namespace

TEST_CASE("a report says of each source what check says, and where it happened", "[report]") {
  const Bench bench;
  bench.put("store.csv", store());
  REQUIRE(bench.run("report store.csv --key probe --tolerate 5 -o health.html").exit == 0);
  const std::string html = bench.get("health.html");
  check_tags(html);
  // The sections in their order, and nothing from elsewhere.
  CHECK(values_of(html, "id").size() >= 5);
  std::size_t before = 0;
  for (const char* id : {"verdict", "when", "columns", "drill", "steps", "origin"}) {
    const std::size_t at = html.find(fmt::format("<section id=\"{}\"", id));
    REQUIRE(at != std::string::npos);
    CHECK(at > before);
    before = at;
  }
  CHECK_THAT(html, Catch::Contains("default-src 'none'") && !Catch::Contains("http://") &&
                       !Catch::Contains("https://") && Catch::Contains("MIT licence") &&
                       !Catch::Contains("sourceMappingURL"));
  CHECK(html.find("<script>") == html.rfind("<script"));

  const auto check = nlohmann::json::parse(bench.run("check store.csv --key probe --json").out);
  // Findings as check has them, in its order.
  std::vector<std::string> kinds, counts;
  for (const auto& finding : check["findings"]) {
    kinds.push_back(finding["kind"]);
    counts.push_back(fmt::format("{}", finding["count"].get<std::int64_t>()));
  }
  CHECK(values_of(html, "data-finding") == kinds);
  // What became of the records adds up.
  const std::string verdict = html.substr(html.find("id=\"verdict\""),
                                          html.find("id=\"when\"") - html.find("id=\"verdict\""));
  std::int64_t all = 0;
  for (const auto& count : values_of(verdict.substr(0, verdict.find("<table")), "data-count")) {
    all += std::stoll(count);
  }
  CHECK(all == check["records"]);
  CHECK_THAT(verdict, Catch::Contains("data-reason=\"unreadable-time\" data-count=\"1\"") &&
                          Catch::Contains("data-reason=\"field-count\" data-count=\"1\"") &&
                          Catch::Contains("data-part=\"kept\" data-count=\"1122\""));
  // A strip for each strand; marks with line, byte and raw text.
  const std::string when =
      html.substr(html.find("id=\"when\""), html.find("id=\"columns\"") - html.find("id=\"when\""));
  CHECK(values_of(when, "data-key") == std::vector<std::string>{"north", "south"});
  CHECK_THAT(when, Catch::Contains("line 1124, byte") && Catch::Contains(": soon,north,1,shut") &&
                       Catch::Contains("unreadable-reading in t_c at line 156") &&
                       Catch::Contains("no records from 2025-10-22T02:1"));
  // A figure for each column of each strand, statistics in full.
  for (const char* id : {"columns", "drill"}) {
    const std::string section = section_of(html, id);
    CHECK(values_of(section, "data-column") == std::vector<std::string>{"t_c", "t_c"});
    CHECK(values_of(section, "data-key") == std::vector<std::string>{"north", "south"});
  }
  CHECK_THAT(html, Catch::Contains("data-piece=\"readings\"") &&
                       Catch::Contains("data-stat=\"count\" data-value=\"560\""));
  // The file that was read, with its digest.
  CHECK_THAT(html,
             Catch::Contains(fmt::format("data-file=\"store.csv\" data-size=\"{}\" data-sha256=",
                                         bench.get("store.csv").size())));
  // The same input gives the same bytes, whatever the threads.
  fs::remove(bench.folder() / "health.html");
  REQUIRE(bench.run("report store.csv --key probe --tolerate 5 --threads 1 -o health.html").exit ==
          0);
  CHECK(bench.get("health.html") == html);
  REQUIRE(
      bench.run("report store.csv --key probe --tolerate 5 --made-at 'today' -o dated.html").exit ==
      0);
  CHECK_THAT(bench.get("dated.html"), Catch::Contains("at today."));
}

TEST_CASE("a report is written when a limit was passed, for it is what tells", "[report]") {
  const Bench bench;
  bench.put("store.csv", store());
  const Result limited = bench.run("report store.csv --key probe -o health.html");
  CHECK(limited.exit == 4);
  REQUIRE(bench.has("health.html"));
  CHECK_THAT(bench.get("health.html"), Catch::Contains("Records were at fault"));
  CHECK(bench.run("settle store.csv --key probe --report side.html -o out.csv").exit == 4);
  CHECK(bench.has("side.html"));
  CHECK(!bench.has("out.csv"));
  CHECK(bench.run("report store.csv -o health.pdf").exit == 2);
  CHECK_THAT(bench.run("report store.csv").err, Catch::Contains("say where the page goes"));
}

TEST_CASE("chains and plans have reports of what they did", "[report]") {
  const Bench bench;
  bench.put("store.csv", store());
  REQUIRE(bench
              .run("resample store.csv --key probe --tolerate 5 --every 1h + fill --max-gap 2h + "
                   "report -o chain.html --as-plan p.toml")
              .exit == 0);
  const std::string html = bench.get("chain.html");
  CHECK(values_of(html.substr(html.find("<table class=\"ledger\"")), "data-step") ==
        std::vector<std::string>{"settle", "resample", "fill", "resample"});
  CHECK_THAT(bench.get("p.toml"), Catch::Contains("report = \"chain.html\""));
  fs::remove(bench.folder() / "chain.html");
  REQUIRE(bench.run("run p.toml").exit == 0);
  check_tags(bench.get("chain.html"));
  CHECK(values_of(bench.get("chain.html"), "data-step") == values_of(html, "data-step"));
  // Beside what a chain writes, and of the sources that a plan names.
  REQUIRE(
      bench.run("resample store.csv --key probe --tolerate 5 --every 1h -o h.csv --report s.html")
          .exit == 0);
  CHECK_THAT(bench.get("s.html"), Catch::Contains("data-file=\"h.csv\""));
  bench.put("tide.csv", "time,level_m\n2025-10-20T00:00:00Z,1\n2025-10-20T01:00:00Z,2\n");
  bench.put("plan.toml", R"plan(
[source.store]
file = "store.csv"
key = "probe"
tolerate = 5

[source.tide]
file = "tide.csv"

[series.hours]
from = "tide"
steps = [{ resample = { every = "1h" } }]

[output.all]
report = "out/all.html"

[output.one]
from = "hours"
report = "out/one.html"
)plan");
  const Result run = bench.run("run plan.toml");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto sources = [&](const char* file) {
    const auto all = values_of(bench.get(file), "data-source");
    return std::set<std::string>(all.begin(), all.end());
  };
  CHECK(sources("out/all.html") == std::set<std::string>{"store", "tide"});
  CHECK(sources("out/one.html") == std::set<std::string>{"tide"});
  CHECK_THAT(bench.run("explain plan.toml").out, Catch::Contains("out/all.html"));
}

TEST_CASE("a report of a chain tells what flows where and every reading that was changed",
          "[report]") {
  const Bench bench;
  bench.put("store.csv", store());
  const std::string chain =
      "clip store.csv --key probe --tolerate 5 --on t_c --bounds=-18.9, + resample --every 1h + "
      "fill --max-gap 9h ";
  REQUIRE(bench.run(chain + "-o out.csv --report chain.html --account a.json").exit == 0);
  const std::string html = page_of(bench.get("chain.html"));
  check_tags(bench.get("chain.html"));
  const std::string steps = section_of(html, "steps");
  CHECK(values_of(steps, "data-flow").front() == "store");
  CHECK_THAT(steps, Catch::Contains("→ out.csv"));
  // Each step that the account has, in figures for those that changed something.
  const auto account = nlohmann::json::parse(bench.get("a.json"));
  std::vector<std::string> names;
  std::int64_t changed = 0;
  for (const auto& step : account["steps"]) {
    names.push_back(step["step"]);
    changed += step["cells_filled"].get<std::int64_t>() + step["cells_clipped"].get<std::int64_t>();
  }
  const std::string ledger =
      steps.substr(steps.find("<table class=\"ledger\""), steps.find("<h3>Before"));
  CHECK(values_of(ledger.substr(0, ledger.find("</table>")), "data-step") == names);
  const std::string figures = steps.substr(steps.find("<h3>Before"));
  CHECK(values_of(figures, "data-step") == std::vector<std::string>{"clip", "resample", "fill"});
  // The list of changes adds up to the ledger; each says what it was or what it is.
  const std::string changes = steps.substr(steps.find("<table id=\"changes\""));
  CHECK(static_cast<std::int64_t>(values_of(changes, "data-key").size()) == changed);
  CHECK(values_of(changes, "data-before").size() + values_of(changes, "data-after").size() >=
        static_cast<std::size_t>(changed));
  CHECK_THAT(changes, Catch::Contains("<td>filled</td>"));
  // The series has its columns, too, after its source's.
  const std::string columns = section_of(html, "columns");
  CHECK(values_of(columns, "data-column") ==
        std::vector<std::string>{"t_c", "t_c", "t_c_mean", "t_c_mean"});
  CHECK(values_of(columns, "data-series").size() == 2);
}

TEST_CASE("means by year stand in a report in full, and none where times have no years",
          "[report]") {
  const Bench bench;
  std::string text = "time,level\n";
  for (int day = 0; day < 800; ++day) {
    const std::chrono::sys_days date =
        std::chrono::sys_days(std::chrono::year(2023) / 11 / 3) + std::chrono::days(day);
    const std::chrono::year_month_day ymd(date);
    text += fmt::format("{}-{:02}-{:02}T12:00:00Z,{}\n", static_cast<int>(ymd.year()),
                        static_cast<unsigned>(ymd.month()), static_cast<unsigned>(ymd.day()), day);
  }
  bench.put("daily.csv", text);
  REQUIRE(bench.run("report daily.csv --zone Europe/Dublin -o daily.html").exit == 0);
  const std::string html = page_of(bench.get("daily.html"));
  const std::string drill = section_of(html, "drill");
  CHECK(values_of(drill, "data-level") == std::vector<std::string>{"year"});
  CHECK(values_of(drill, "data-mean") == std::vector<std::string>{"399.5"});
  CHECK(values_of(drill, "data-first-year") == std::vector<std::string>{"2023"});
  // Four years begun, as float64 in base64; the days' lengths as runs, one of 25 hours each year.
  CHECK(values_of(drill, "data-years")[0].size() == 44);
  CHECK(values_of(drill, "data-hours").size() == 1);
  CHECK_THAT(values_of(drill, "data-lengths")[0], Catch::StartsWith("[[86400000000000,") &&
                                                      Catch::Contains("[90000000000000,1]") &&
                                                      Catch::Contains("[82800000000000,1]"));
  // Without scripts its bars by year are seen.
  CHECK_THAT(drill, Catch::Contains("<title>mean of each year</title>") &&
                        Catch::Contains("<title>mean of all</title>"));
  // One reading a day: its week is by days alone.
  CHECK_THAT(html, Catch::Contains("mean by the day of the week</title>"));

  bench.put("capture.csv", "seconds,level\n0.0,1\n0.5,2\n1.0,4\n1.5,3\n");
  REQUIRE(
      bench.run("report capture.csv --time seconds --time-format elapsed-s -o capture.html").exit ==
      0);
  const std::string capture = page_of(bench.get("capture.html"));
  CHECK_THAT(section_of(capture, "drill"), Catch::Contains("its times are elapsed"));
  const std::string figure = section_of(capture, "columns");
  CHECK(values_of(figure, "data-to") == std::vector<std::string>{"1.5"});
  CHECK(values_of(figure, "data-zero").empty());
  check_tags(bench.get("capture.html"));
}

TEST_CASE("findings stand where they were first seen, with line, byte, raw text and remedy",
          "[report]") {
  const Bench bench;
  const std::string text = store();
  bench.put("store.csv", text);
  REQUIRE(bench.run("report store.csv --key probe --tolerate 5 -o health.html").exit == 0);
  const std::string when = section_of(bench.get("health.html"), "when");
  const auto check = nlohmann::json::parse(bench.run("check store.csv --key probe --json").out);
  const auto kinds = values_of(when, "data-kind");
  for (const auto& finding : check["findings"]) {
    if (finding["first_line"] == 0) continue;
    INFO(finding.dump());
    const auto kind = finding["kind"].get<std::string>();
    CHECK(std::ranges::find(kinds, kind) != kinds.end());
    // The raw line itself.
    const std::size_t at = when.find(fmt::format("data-kind=\"{}\"", kind));
    const std::string flag = when.substr(at, when.find("</path>", at) - at);
    const std::size_t byte = std::stoull(values_of(" " + flag, "data-byte")[0]);
    const std::string raw = text.substr(byte, text.find('\n', byte) - byte);
    CHECK(std::ranges::count(text.substr(0, byte), '\n') + 1 == finding["first_line"]);
    CHECK_THAT(flag, Catch::Contains(": " + raw + "\n"));
  }
}

TEST_CASE("what data holds is text on the page", "[report]") {
  const Bench bench;
  bench.put("odd.csv",
            "time,\"<b>x</b>\",key\n2025-10-20T00:00:00Z,1,<script>alert(1)</script>\n"
            "2025-10-20T01:00:00Z,2,\"a\"\"b\"\n<img "
            "src=x>,3,]]>\n2025-10-20T02:00:00Z,4,\xe2\x80\xae\n");
  REQUIRE(bench.run("report odd.csv --key key --tolerate 9 -o odd.html").exit == 0);
  check_tags(bench.get("odd.html"));
  const std::string html = page_of(bench.get("odd.html"));
  CHECK_THAT(html, !Catch::Contains("<script") && !Catch::Contains("<img") &&
                       !Catch::Contains("<b>") && !Catch::Contains("\xe2\x80\xae") &&
                       Catch::Contains("&lt;script&gt;alert(1)&lt;/script&gt;") &&
                       Catch::Contains("data-column=\"&lt;b&gt;x&lt;/b&gt;\""));
}

TEST_CASE("of many strands the worst are drawn, the others told, in a page that stays small",
          "[report]") {
  const Bench bench;
  std::string text = "time,sensor,level\n";
  for (int i = 0; i < 40; ++i) {
    for (int s = 0; s < 60; ++s) {
      if (s == 42 && i % 2 == 1) {
        text += fmt::format("2025-10-20T00:{:02}:00Z,s{},\n", i, s);
      } else {
        text += fmt::format("2025-10-20T00:{:02}:00Z,s{},{}\n", i, s, i + s);
      }
    }
  }
  bench.put("many.csv", text);
  REQUIRE(bench.run("report many.csv --key sensor -o many.html").exit == 0);
  const std::string html = bench.get("many.html");
  CHECK(html.size() < 3'000'000);
  check_tags(html);
  std::size_t figures = 0;
  for (std::size_t at = html.find("<figure"); at != std::string::npos;
       at = html.find("<figure", at + 1)) {
    ++figures;
  }
  CHECK(figures == 24);
  // The strand of which half is missing is the first that is drawn.
  CHECK_THAT(html.substr(html.find("<figure"), 200), Catch::Contains("data-key=\"s42\""));
  CHECK_THAT(html, Catch::Contains("36 more, of which less is missing") &&
                       Catch::Contains("36 strands more, of which less is missing"));
}

}  // namespace zerobeat::testing::report
