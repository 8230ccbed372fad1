#include <cmath>
#include <random>

#include "support/strand.hpp"
#include "view/drawing/drawing.hpp"
#include "view/page/html.hpp"
#include "view/page/pieces.hpp"
#include "view/page/svg.hpp"

namespace zerobeat::testing {

using namespace std::chrono_literals;

TEST_CASE("text of the data is text on a page, whatever it holds", "[page]") {
  using detail::escaped;
  CHECK(escaped("<script>alert('x & \"y\"')</script>") ==
        "&lt;script&gt;alert(&#39;x &amp; &quot;y&quot;&#39;)&lt;/script&gt;");
  CHECK(escaped("]]>") == "]]&gt;");
  CHECK(escaped("a\xe2\x80\xae"
                "b\x1b[2J") == "a\\u202eb\\u001b[2J");
  CHECK(escaped("north\x1f"
                "quay") == "north+quay");
  CHECK(escaped("\xff") == "\xef\xbf\xbd");
  CHECK(detail::attribute("data-key", "a\"b") == " data-key=\"a&quot;b\"");
  CHECK(detail::attribute("data-value", 0.1) == " data-value=\"0.1\"");
  CHECK(detail::attribute("data-value", std::nan("")).empty());
}

TEST_CASE("pieces of time are what a plain loop makes of them", "[page]") {
  std::mt19937 random(733);
  for (int again = 0; again < 60; ++again) {
    const int rows = 1 + static_cast<int>(random() % 400);
    const Timeline timeline = random_timeline(rows, 1'000 + static_cast<unsigned>(again), 2, 0.2);
    const Column numbers = timeline.values().column("level").as_numbers();
    const std::size_t pieces = 1 + random() % 50;
    for (const Strand& strand : timeline.strands()) {
      if (strand.size() == 0) continue;
      const Instant first = timeline.times()[strand.begin];
      const Instant last = timeline.times()[strand.end - 1];
      const auto fast = detail::pieces_of(timeline, strand, numbers, first, last, pieces);
      REQUIRE(fast.size() == pieces);
      std::vector<std::vector<double>> plain(pieces);
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        if (!numbers.valid(row)) continue;
        const auto span = static_cast<double>((last - first).count());
        const auto into = static_cast<double>((timeline.times()[row] - first).count());
        const auto piece =
            span == 0 ? std::size_t{0}
                      : static_cast<std::size_t>(into * static_cast<double>(pieces) / span);
        plain[std::min(pieces - 1, piece)].push_back(numbers.numbers()[row]);
      }
      for (std::size_t p = 0; p < pieces; ++p) {
        INFO(p << " of " << pieces << ", " << rows << " rows");
        REQUIRE(fast[p].count == static_cast<std::int64_t>(plain[p].size()));
        if (plain[p].empty()) continue;
        CHECK(fast[p].least == *std::ranges::min_element(plain[p]));
        CHECK(fast[p].most == *std::ranges::max_element(plain[p]));
        CHECK(fast[p].mean() == Approx(std::accumulate(plain[p].begin(), plain[p].end(), 0.0) /
                                       static_cast<double>(plain[p].size())));
      }
    }
  }
}

TEST_CASE("pieces reach to the ends of time", "[page]") {
  const Timeline ends =
      timeline_of({{Instant::min(), Instant::max()}, {}, {{"level", column_of({1, 2})}}});
  const auto pieces =
      detail::pieces_of(ends, ends.strands()[0], ends.values().column("level").as_numbers(),
                        Instant::min(), Instant::max(), 10);
  CHECK(pieces[0].least == 1);
  CHECK(pieces[9].most == 2);
}

TEST_CASE("a drawing on a page has a name for who can't see it, and lines at their places",
          "[page]") {
  detail::Drawing drawing;
  drawing.name = "level <m>";
  drawing.description = "2 readings";
  detail::Panel panel;
  panel.x.high = panel.y.high = 1;
  panel.x.ticks = panel.y.ticks = [](int) { return std::vector<detail::AxisTick>(); };
  detail::LineShape line{.ink = detail::ink(0)};
  line.stretches = {{{0, 0}, {1, 1}}, {{0.5, 0}, {0.5, 1}}};
  panel.shapes.push_back({line, "level", false, false});
  drawing.rows.push_back({{panel}});
  const std::string svg = detail::page_svg(drawing, 200, 100);
  CHECK_THAT(svg,
             Catch::Contains("role=\"img\"") && Catch::Contains("aria-label=\"level &lt;m&gt;\"") &&
                 Catch::Contains("<desc>2 readings</desc>") &&
                 Catch::Contains("<g><title>level</title><path fill=\"none\" class=\"course\""));
  // From the lower left corner to the upper right one, and a stretch of its own.
  const std::size_t path = svg.find(" d=\"M", svg.find("<title>level</title>"));
  const std::string course = svg.substr(path + 4, svg.find('"', path + 4) - path - 4);
  double x0 = 0, y0 = 0, x1 = 0, y1 = 0;
  REQUIRE(std::sscanf(course.c_str(), "M%lf %lfL%lf %lf", &x0, &y0, &x1, &y1) == 4);
  CHECK(x0 < x1);
  CHECK(y0 > y1);
  CHECK(std::ranges::count(course, 'M') == 2);
}

}  // namespace zerobeat::testing
