#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "view/page/html.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// How bad the worst finding is, and what that means for what follows.
struct Verdict {
  const char* grade;  ///< a class of the page's style
  const char* words;
};

Verdict verdict_of(const Judgement& judgement) {
  int worst = 0;
  for (const Finding& finding : judgement.findings) {
    worst = std::max(worst, weight_of(finding.kind));
  }
  if (judgement.account->records == 0) return {"bad", "There are no records: nothing follows."};
  switch (worst) {
    case 3:
      return {"bad",
              "Records were at fault. What follows is without them: see why before it is used."};
    case 2:
      return {"poor",
              "The times or the source itself are in doubt: see the findings before it is used."};
    case 1:
      return {"fair", "It can be used once it is put in order and its gaps are dealt with."};
    default:
      return {"good", "Nothing stands against using it."};
  }
}

std::string share_text(std::int64_t part, std::int64_t all) {
  if (all == 0 || part == all) return "100%";
  // What lacks a little is not all.
  const double share = 100.0 * static_cast<double>(part) / static_cast<double>(all);
  return fmt::format("{:.2f}%", std::min(share, 99.99));
}

struct Part {
  std::string attributes{};
  std::string name{};
  std::int64_t count = 0;
  const char* kind = "";
};

/// What became of the records: kept, rejected by reason, merged; they add up.
std::vector<Part> parts_of(const SourceAccount& account) {
  std::vector<Part> parts;
  parts.push_back({attribute("data-part", "kept"), "kept", account.kept, "kept"});
  for (std::size_t r = 0; r < reasons; ++r) {
    const auto reason = static_cast<Reason>(r);
    // An unreadable reading costs no record.
    if (reason == Reason::unreadable_reading || account.by_reason[r] == 0) continue;
    parts.push_back({attribute("data-reason", word(reason)), std::string(word(reason)),
                     account.by_reason[r], "rejected"});
  }
  parts.push_back({attribute("data-part", "merged"), "merged", account.merged, "merged"});
  return parts;
}

std::string bar_of(const SourceAccount& account) {
  std::string segments, legend, told;
  for (const Part& part : parts_of(account)) {
    told += (told.empty() ? "" : ", ") + grouped(part.count) + " " + part.name;
    if (part.count > 0) {
      segments += fmt::format("<span class=\"{}\" style=\"flex-grow:{}\"{}{}></span>", part.kind,
                              part.count, attribute("title", part.name),
                              attribute("data-segment", part.name));
    }
    legend += fmt::format("<li class=\"{}\"{}{}><span class=\"dot\"></span>{} {}</li>", part.kind,
                          part.attributes, attribute("data-count", part.count), grouped(part.count),
                          escaped(part.name));
  }
  return fmt::format("<div class=\"bar\" role=\"img\"{}>{}</div><ul class=\"legend\">{}</ul>",
                     attribute("aria-label", grouped(account.records) + " records: " + told),
                     segments, legend);
}

std::string findings_of(const Judgement& judgement) {
  if (judgement.findings.empty()) return "<p>There are no findings.</p>";
  std::string rows;
  constexpr std::size_t most = 40;
  for (std::size_t i = 0; i < std::min(most, judgement.findings.size()); ++i) {
    const Finding& finding = judgement.findings[i];
    const std::string where =
        finding.first_line == 0
            ? ""
            : fmt::format("line {}{}", grouped(static_cast<std::int64_t>(finding.first_line)),
                          finding.file.empty() ? "" : " of " + finding.file);
    rows += fmt::format(
        "<tr class=\"weight{}\"{}{}{}><th scope=\"row\">{}</th><td class=\"number\">{}</td>"
        "<td>{}</td><td>{}</td></tr>",
        weight_of(finding.kind), attribute("data-finding", finding.kind),
        attribute("data-count", finding.count),
        attribute("data-line", static_cast<std::int64_t>(finding.first_line)),
        escaped(finding.kind), grouped(finding.count), escaped(where),
        escaped(with_dashes(finding.message)));
  }
  std::string more;
  if (judgement.findings.size() > most) {
    more = fmt::format("<p>{} more</p>", judgement.findings.size() - most);
  }
  return "<div class=\"scroll\"><table class=\"findings\"><thead><tr><th scope=\"col\">finding</th>"
         "<th scope=\"col\" class=\"number\">count</th><th scope=\"col\">first</th><th "
         "scope=\"col\">"
         "what it is, and what to do</th></tr></thead><tbody>" +
         rows + "</tbody></table></div>" + more;
}

std::string source_verdict(const PageSource& source) {
  const Judgement& judgement = source.judgement;
  const SourceAccount& account = *judgement.account;
  const Verdict verdict = verdict_of(judgement);
  const std::int64_t good = account.kept - account.records_with_unreadable;
  std::string words =
      fmt::format("{}, of which {} ({}) are good.", counted(account.records, "record", "records"),
                  grouped(good), share_text(good, account.records));
  if (account.records_with_unreadable > 0) {
    words += fmt::format(" {} kept with a reading that can't be read.",
                         account.records_with_unreadable == 1
                             ? std::string("1 was")
                             : grouped(account.records_with_unreadable) + " were");
  }
  if (!judgement.findings.empty()) {
    const Finding& worst = judgement.findings[0];
    words += fmt::format(" The worst: {}, {}.", worst.kind, grouped(worst.count));
  }
  return fmt::format("<article{}><h3>{}</h3><p class=\"grade {}\">{}</p><p>{}</p>{}{}</article>",
                     attribute("data-source", name_of(source)), escaped(name_of(source)),
                     verdict.grade, verdict.words, escaped(words), bar_of(account),
                     findings_of(judgement));
}

}  // namespace

std::string verdict_section(const PageContent& content) {
  std::string out =
      "<section id=\"verdict\" aria-labelledby=\"verdict-title\"><h2 id=\"verdict-title\">Can it "
      "be "
      "trusted?</h2>";
  constexpr std::size_t room = 500'000;
  return out + of_sources(content, room, source_verdict) + "</section>";
}

}  // namespace zerobeat::detail
