#include <zerobeat/clean/fill.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/plan/report.hpp>
#include <zerobeat/regular/resample.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// A record every ten minutes of two probes, one of them garbled, one reading unreadable, and an
/// hour of nothing.
std::string store() {
  std::string text = "time,probe,level\n";
  for (int i = 0; i < 60; ++i) {
    if (i >= 30 && i < 36) continue;
    for (const char* probe : {"north", "south"}) {
      text += fmt::format("2025-10-20T{:02}:{:02}:00Z,{},{}\n", i / 6, i % 6 * 10, probe,
                          i == 12 && probe[0] == 's' ? "ERR" : fmt::format("{}.5", i));
    }
    if (i == 20) text += "soon,south,1\n";
  }
  return text;
}

Records records_of(const std::string& text) {
  return read_text(text, {.time = {"time"}, .key = "probe"}, "store.csv");
}

}  // namespace

TEST_CASE("a page's source knows where records are not, and when faults happened", "[page]") {
  const Records records = records_of(store());
  const PageSource source = page_source(records);
  CHECK(source.judgement.account->records == 109);
  CHECK(source.judgement.account->kept == 108);
  REQUIRE(source.timeline.strands().size() == 2);
  REQUIRE(source.missing.size() == 2);
  // From a typical step after the last record to the next one.
  for (const auto& missing_of_strand : source.missing) {
    REQUIRE(missing_of_strand.size() == 1);
    CHECK(missing_of_strand[0].start == at("2025-10-20T05:00:00Z"));
    CHECK(missing_of_strand[0].stop == at("2025-10-20T06:00:00Z"));
  }
  REQUIRE(source.marks.size() == 2);
  const PageMark &reading = source.marks[0], &record = source.marks[1];
  CHECK(reading.reason == "unreadable-reading");
  CHECK(reading.column == "level");
  CHECK(reading.text == "ERR");
  CHECK(reading.line == 27);
  CHECK(reading.at == at("2025-10-20T02:00:00Z"));
  CHECK(reading.strand == 1);
  // A record without a time happened when the one before it did.
  CHECK(record.reason == "unreadable-time");
  CHECK(record.text == "soon,south,1");
  CHECK(record.at == at("2025-10-20T03:20:00Z"));
  // The place is that of the bytes.
  CHECK(store().substr(record.byte, 4) == "soon");
  CHECK(store().substr(reading.byte, 3) == "ERR");
}

TEST_CASE("a source without a good record has a page, too", "[page]") {
  const PageSource none =
      page_source(records_of("time,probe,level\nsoon,a,1\nlater,b,2\n2025-10-20T00:00:00Z,c,1\n"));
  CHECK(none.judgement.account->rejected == 2);
  CHECK(none.marks.size() == 2);
  PageContent content;
  content.sources.push_back(none);
  const std::string html = page_html(content);
  CHECK_THAT(html, Catch::Contains("3 records, of which 1") && Catch::Contains("</html>"));
}

TEST_CASE("a program writes the page of its sources and of what it made", "[page]") {
  const Folder folder;
  const Records records = records_of(store());
  const Timeline hours = settle(records) | Resample{.every = "1h", .take = {mean("level")}} |
                         Fill{.max_gap = Extent("2h")};
  report({&records, 1}, {&hours, 1}, folder.path("health.html"));
  const std::string html = folder.get("health.html");
  for (const char* step : {"settle", "resample", "fill"}) {
    CHECK_THAT(html, Catch::Contains(fmt::format("data-step=\"{}\"", step)));
  }
  // No time of its own: again the same bytes.
  report({&records, 1}, {&hours, 1}, folder.path("again.html"));
  CHECK(folder.get("again.html") == html);
  CHECK_THROWS_AS(report({&records, 1}, {}, folder.path("nowhere/health.html")), Error);
  CHECK_THROWS_WITH(check_report_path("health.pdf"), Catch::Contains("ends in .html"));
}

}  // namespace zerobeat::testing
