#include "view/page/changes.hpp"

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

PageContent changed() {
  PageContent content;
  content.steps = {{.step = "clip", .series = "tide"}, {.step = "fill"}};
  content.changes = {
      {0, "level_m", "north<1>", clock("00:10"), "2025-10-20T00:10:00Z", 99.5, std::nullopt},
      {0, "level_m", "north<1>", clock("00:20"), "2025-10-20T00:20:00Z", 99.5, 4.25},
      {1, "level_m", "south", clock("00:10"), "2025-10-20T00:10:00Z", std::nullopt, 0.1}};
  content.all_changes = 3;
  return content;
}

}  // namespace

TEST_CASE("each change is a row: when, by which step, what it was and is", "[page]") {
  PageContent content = changed();
  const std::string html = detail::changes_table(content);
  CHECK_THAT(html, Catch::Contains("3 readings were changed"));
  CHECK_THAT(html,
             Catch::Contains(
                 "<tr data-column=\"level_m\" data-key=\"north&lt;1&gt;\"><td>2025-10-20T00:10:"
                 "00Z</td><td>tide, clip</td><td>level_m</td><td>north&lt;1&gt;</td><td>taken "
                 "away</td><td class=\"number\" data-before=\"99.5\">99.5</td><td "
                 "class=\"number\">–</td></tr>"));
  CHECK_THAT(html, Catch::Contains("<td>set</td>") && Catch::Contains("data-after=\"4.25\""));
  CHECK_THAT(html, Catch::Contains("<td>fill</td>") && Catch::Contains("<td>filled</td>"));
  CHECK(html.find(" more</p>") == std::string::npos);
  content.all_changes = 5'003;
  CHECK_THAT(detail::changes_table(content), Catch::Contains("<p>5,000 more</p>"));
  content.all_changes = 0;
  CHECK(detail::changes_table(content).empty());
}

TEST_CASE("a stretch is drawn before and after, open where a reading is missing", "[page]") {
  PageContent content = changed();
  PageStretch stretch{.step = 0, .column = "level_m", .key = "north", .time_name = "time"};
  for (int i = 0; i < 9; ++i) {
    const Instant t = clock("00:00") + std::chrono::minutes(i);
    stretch.before.emplace_back(t, i == 4 ? 50.0 : 1.0);
    stretch.after.emplace_back(t, i == 4 ? std::optional<double>() : 1.0);
  }
  content.stretches.push_back(stretch);
  const std::string html = detail::stretches_html(content);
  CHECK_THAT(html, Catch::Contains("<figure data-step=\"clip\">") &&
                       Catch::Contains("tide, clip: level_m, north</figcaption>") &&
                       Catch::Contains("9 readings before, 9 after"));
  const auto path_of = [&](const std::string& name) {
    const std::size_t at = html.find("<g><title>" + name + "</title>");
    REQUIRE(at != std::string::npos);
    const std::size_t from = html.find(" d=\"", at) + 4;
    return html.substr(from, html.find('"', from) - from);
  };
  CHECK(std::ranges::count(path_of("before"), 'M') == 1);
  CHECK(std::ranges::count(path_of("after"), 'M') == 2);
  // Nothing to see is no figure.
  content.stretches[0].before.clear();
  content.stretches[0].after.clear();
  CHECK(detail::stretches_html(content).empty());
}

}  // namespace zerobeat::testing
