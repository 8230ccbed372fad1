#include <fmt/format.h>

#include <zerobeat/base/text.hpp>
#include <zerobeat/view/page.hpp>

#include "page_files.hpp"
#include "view/page/html.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1 {

namespace detail {

std::string counted(std::int64_t n, const char* one, const char* more) {
  return fmt::format("{} {}", grouped(n), n == 1 ? one : more);
}

std::string name_of(const PageSource& source) {
  const SourceAccount& account = *source.judgement.account;
  return account.name.empty() ? account.source : account.name;
}

std::string time_of(Instant t, const PageSource& source) {
  const Axis& axis = source.timeline.axis();
  if (axis.is_instants()) return to_text(t);
  std::string text;
  append_elapsed(text, t, *axis.elapsed);
  return text;
}

}  // namespace detail

void check_report_path(const std::string& path) {
  std::string lower = path;
  for (char& c : lower) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  if (lower.ends_with(".html") || lower.ends_with(".htm")) return;
  fail_usage("{}: a report's file ends in .html", shown(path));
}

std::string page_html(const PageContent& content) {
  using namespace detail;
  std::string names;
  for (const PageSource& source : content.sources) {
    names += (names.empty() ? "" : ", ") + name_of(source);
  }
  std::string out = "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n";
  // The page may do nothing but show itself.
  out +=
      "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src "
      "'unsafe-inline'\">\n";
  out += "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n";
  out += fmt::format("<title>Health of {}</title>\n<style>\n{}</style>\n</head>\n<body>\n",
                     escaped(shortened(names, 80)), page_style);
  out += fmt::format("<header><h1>{}</h1>", escaped(shortened(names, 200)));
  out +=
      "<nav aria-label=\"Sections\"><a href=\"#verdict\">Verdict</a><a href=\"#when\">When</a><a "
      "href=\"#columns\">Columns</a><a href=\"#steps\">Steps</a><a "
      "href=\"#origin\">Origin</a></nav>"
      "</header>\n<main>\n";
  for (const auto section :
       {verdict_section, when_section, columns_section, steps_section, origin_section}) {
    out += section(content) + "\n";
  }
  return out + "</main>\n</body>\n</html>\n";
}

}  // namespace zerobeat
