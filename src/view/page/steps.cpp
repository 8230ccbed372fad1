#include <fmt/format.h>

#include <zerobeat/base/text.hpp>

#include "view/page/changes.hpp"
#include "view/page/flow.hpp"
#include "view/page/html.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The ledger: what each step took and gave.
std::string ledger_of(const PageContent& content) {
  std::string rows;
  for (const StepAccount& step : content.steps) {
    std::string notes;
    for (const auto& note : step.notes) notes += "<li>" + escaped(with_dashes(note)) + "</li>";
    rows += fmt::format(
        "<tr{}{}{}{}{}><td>{}</td><th scope=\"row\">{}</th><td class=\"number\">{}</td><td "
        "class=\"number\">{}</td><td class=\"number\">{}</td><td class=\"number\">{}</td><td>{}{}"
        "</td></tr>",
        attribute("data-step", step.step), attribute("data-rows-in", step.rows_in),
        attribute("data-rows-out", step.rows_out), attribute("data-filled", step.cells_filled),
        attribute("data-clipped", step.cells_clipped), escaped(step.series), escaped(step.step),
        grouped(step.rows_in), grouped(step.rows_out), grouped(step.cells_filled),
        grouped(step.cells_clipped), escaped(step.what),
        notes.empty() ? "" : "<ul>" + notes + "</ul>");
  }
  return "<div class=\"scroll\"><table class=\"ledger\"><thead><tr><th "
         "scope=\"col\">series</th><th "
         "scope=\"col\">step</th><th scope=\"col\" class=\"number\">rows in</th><th scope=\"col\" "
         "class=\"number\">rows out</th><th scope=\"col\" class=\"number\">filled</th><th "
         "scope=\"col\" class=\"number\">clipped</th><th scope=\"col\">options and "
         "notes</th></tr></thead><tbody>" +
         rows + "</tbody></table></div>";
}

}  // namespace

std::string steps_section(const PageContent& content) {
  std::string out =
      "<section id=\"steps\" aria-labelledby=\"steps-title\"><h2 id=\"steps-title\">What was "
      "done?</h2>";
  if (content.steps.empty()) {
    return out + "<p>Nothing: the sources are as they were read.</p></section>";
  }
  return out + flow_svg(content.flow) + ledger_of(content) + stretches_html(content) +
         changes_table(content) + "</section>";
}

}  // namespace zerobeat::detail
