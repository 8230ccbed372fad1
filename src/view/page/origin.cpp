#include <fmt/format.h>

#include <zerobeat/base/text.hpp>

#include "view/page/html.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::string files_of(const std::vector<UsedFile>& files, const char* title) {
  if (files.empty()) return {};
  std::string rows;
  constexpr std::size_t most = 400;
  for (std::size_t i = 0; i < std::min(most, files.size()); ++i) {
    const UsedFile& file = files[i];
    const bool known = file.digest.has_value();
    rows += fmt::format(
        "<tr{}{}{}><th scope=\"row\">{}</th><td "
        "class=\"number\">{}</td><td><code>{}</code></td></tr>",
        attribute("data-file", file.file),
        known ? attribute("data-size", static_cast<std::int64_t>(file.digest->bytes)) : "",
        known ? attribute("data-sha256", file.digest->sha256) : "", escaped(file.file),
        known ? grouped(static_cast<std::int64_t>(file.digest->bytes)) : "",
        known ? file.digest->sha256 : "no file: it has no digest");
  }
  std::string out = fmt::format(
      "<h3>{}</h3><div class=\"scroll\"><table class=\"files\"><thead><tr><th "
      "scope=\"col\">file</th>"
      "<th scope=\"col\" class=\"number\">bytes</th><th "
      "scope=\"col\">SHA-256</th></tr></thead><tbody>"
      "{}</tbody></table></div>",
      title, rows);
  if (files.size() > most) out += fmt::format("<p>{} more</p>", files.size() - most);
  return out;
}

}  // namespace

std::string origin_section(const PageContent& content) {
  const Origin& origin = content.origin;
  std::string out =
      "<section id=\"origin\" aria-labelledby=\"origin-title\"><h2 id=\"origin-title\">Where did "
      "it "
      "come from?</h2>";
  out += fmt::format("<p>Made by Zero Beat {}{}.</p>", escaped(origin.version),
                     content.made_at.empty() ? "" : " at " + escaped(content.made_at));
  out += files_of(origin.inputs, "Read") + files_of(origin.outputs, "Written");
  if (!origin.plan.empty()) {
    out += "<h3>A plan that does the same</h3><pre><code>";
    // Lines stay lines.
    std::string_view rest = origin.plan;
    while (!rest.empty()) {
      const std::size_t end = rest.find('\n');
      out += escaped(rest.substr(0, end)) + "\n";
      rest.remove_prefix(end == std::string_view::npos ? rest.size() : end + 1);
    }
    out += "</code></pre>";
  }
  return out + "</section>";
}

}  // namespace zerobeat::detail
