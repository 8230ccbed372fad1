#include "view/page/flow.hpp"

#include <catch2/catch.hpp>
#include <cstdio>
#include <random>
#include <set>

namespace zerobeat::testing {

namespace {

struct Box {
  double left = 0, top = 0, width = 0, height = 0;
};

std::vector<Box> boxes_of(const std::string& svg) {
  std::vector<Box> boxes;
  for (std::size_t at = svg.find("<rect"); at != std::string::npos;
       at = svg.find("<rect", at + 1)) {
    Box box;
    REQUIRE(std::sscanf(svg.c_str() + at, "<rect x=\"%lf\" y=\"%lf\" width=\"%lf\" height=\"%lf\"",
                        &box.left, &box.top, &box.width, &box.height) == 4);
    boxes.push_back(box);
  }
  return boxes;
}

}  // namespace

TEST_CASE("boxes of what flows stand clear of each other, each right of what it takes from",
          "[page]") {
  std::mt19937 random(8);
  for (int again = 0; again < 100; ++again) {
    std::vector<PageFlow> flow;
    for (std::size_t i = 0; i < 2 + random() % 30; ++i) {
      PageFlow box{"series " + std::to_string(i), i < 2, {}, {}};
      for (std::size_t line = random() % 5; line > 0; --line) box.lines.push_back("step");
      for (std::size_t from = i < 2 ? 0 : 1 + random() % 3; from > 0; --from) {
        box.from.push_back(random() % i);
      }
      flow.push_back(box);
    }
    const std::string svg = detail::flow_svg(flow);
    const auto boxes = boxes_of(svg);
    REQUIRE(boxes.size() == flow.size());
    double width = 0, height = 0;
    REQUIRE(std::sscanf(svg.c_str() + svg.find("viewBox"), "viewBox=\"0 0 %lf %lf\"", &width,
                        &height) == 2);
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      const Box& a = boxes[i];
      CHECK((a.left >= 0 && a.top >= 0 && a.left + a.width <= width && a.top + a.height <= height));
      for (std::size_t j = 0; j < i; ++j) {
        const Box& b = boxes[j];
        const bool apart = a.left + a.width <= b.left || b.left + b.width <= a.left ||
                           a.top + a.height <= b.top || b.top + b.height <= a.top;
        CHECK(apart);
      }
      for (const std::size_t from : flow[i].from) {
        CHECK(boxes[from].left + boxes[from].width < a.left);
      }
    }
  }
}

TEST_CASE("of more than fit the first are drawn; long names are cut, whole in a title", "[page]") {
  std::vector<PageFlow> flow(200, PageFlow{"tide", true, {}, {}});
  flow[0].name = "a series with a name that is far too long for its box";
  flow[0].lines.assign(40, "<step>");
  const std::string svg = detail::flow_svg(flow);
  CHECK(boxes_of(svg).size() == 60);
  CHECK_THAT(svg, Catch::Contains("<p>140 more</p>"));
  CHECK_THAT(svg, Catch::Contains("<title>a series with a name that is far too long for its box"));
  CHECK_THAT(svg, Catch::Contains("28 more") && Catch::Contains("&lt;step&gt;"));
  CHECK(detail::flow_svg({}).empty());
}

}  // namespace zerobeat::testing
