#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <utility>
#include <zerobeat/base/text.hpp>
#include <zerobeat/view/page.hpp>

#include "base/parallel.hpp"
#include "page_files.hpp"
#include "view/page/encoded.hpp"
#include "view/page/html.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1 {

namespace detail {

std::string counted(std::int64_t n, const char* one, const char* more) {
  return fmt::format("{} {}", grouped(n), n == 1 ? one : more);
}

std::string name_of(const PageSource& source) {
  if (source.judgement.account == nullptr) return source.timeline.name();
  const SourceAccount& account = *source.judgement.account;
  return account.name.empty() ? account.source : account.name;
}

std::string of_sources(const PageContent& content, std::size_t room,
                       const std::function<std::string(const PageSource&)>& told) {
  std::vector<std::string> all;
  std::size_t taken = 0;
  for (const PageSource& source : content.sources) taken += all.emplace_back(told(source)).size();
  std::vector<std::size_t> order(all.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  if (taken > room) {
    std::ranges::stable_sort(order, std::greater(), [&](std::size_t i) {
      const auto& findings = content.sources[i].judgement.findings;
      return findings.empty() ? 0 : weight_of(findings[0].kind);
    });
  }
  std::string out;
  std::size_t put = 0;
  for (; put < order.size() && out.size() + all[order[put]].size() <= room; ++put) {
    out += all[order[put]];
  }
  const auto left_out = static_cast<std::int64_t>(order.size() - put);
  if (left_out > 0) {
    out += fmt::format("<p>{} more, of which the findings are no worse</p>",
                       counted(left_out, "source", "sources"));
  }
  return out;
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

namespace {

/// Under which a page stays, whatever it is of.
constexpr std::size_t most_bytes = 2'900'000;

/// The days of each source and series that has a column that is drawn.
std::vector<detail::CalendarDays> days_of(const detail::Pairs& pairs, std::size_t sources) {
  std::vector<detail::CalendarDays> days(sources);
  for (const detail::Pair& pair : pairs.drawn) {
    if (days[pair.source].days() > 0 || !pair.timeline().axis().is_instants()) continue;
    const auto times = pair.timeline().times();
    Instant first = pair.first(), last = pair.last();
    for (const Strand& strand : pair.timeline().strands()) {
      if (strand.size() == 0) continue;
      first = std::min(first, times[strand.begin]);
      last = std::max(last, times[strand.end - 1]);
    }
    days[pair.source] = detail::calendar_days(first, last, pair.timeline().zone());
  }
  return days;
}

/// What the readings of each pair are like, and their means by the calendar.
std::vector<detail::CalendarMeans> means_of(detail::Pairs& pairs,
                                            const std::vector<detail::CalendarDays>& days) {
  constexpr std::size_t most_days_with_hours = 5'000;
  std::vector<detail::CalendarMeans> means(pairs.drawn.size());
  detail::parallel_for(std::size_t{0}, 2 * means.size(), [&](std::size_t i) {
    detail::Pair& pair = pairs.drawn[i / 2];
    if (i % 2 == 0) return detail::find_statistics(pair);
    const detail::CalendarDays& own = days[pair.source];
    if (own.days() == 0) return;
    const bool hours = own.day_of(pair.last()) - own.day_of(pair.first()) < most_days_with_hours;
    means[i / 2] =
        detail::calendar_means(pair.timeline(), pair.rows_of(), pair.numbers, own, hours);
  });
  return means;
}

/// The page may do nothing but show itself and run the script that it holds.
std::string policy() {
  return fmt::format(
      "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; style-src "
      "'unsafe-inline'; script-src 'sha256-{}'\">\n",
      detail::base64_of_digits(detail::page_script_sha256));
}

constexpr std::pair<const char*, const char*> section_names[] = {
    {"verdict", "Verdict"}, {"when", "When"},   {"columns", "Columns"},
    {"drill", "Means"},     {"steps", "Steps"}, {"origin", "Origin"}};

}  // namespace

std::string page_html(const PageContent& content) {
  using namespace detail;
  std::string names, links;
  for (const PageSource& source : content.sources) {
    names += (names.empty() ? "" : ", ") + name_of(source);
  }
  for (const auto& [id, name] : section_names) {
    links += fmt::format("<a href=\"#{}\">{}</a>", id, name);
  }
  std::string out = "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n";
  out += policy();
  out += "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n";
  out += fmt::format("<title>Health of {}</title>\n<style>\n{}</style>\n</head>\n<body>\n",
                     escaped(shortened(names, 80)), page_style);
  out += fmt::format("<header><h1>{}</h1><nav aria-label=\"Sections\">{}</nav></header>\n<main>\n",
                     escaped(shortened(names, 200)), links);
  Pairs pairs = pairs_of(content);
  const auto days = days_of(pairs, content.sources.size() + content.series.size());
  const auto means = means_of(pairs, days);
  out += verdict_section(content) + "\n" + when_section(content) + "\n";
  const std::string rest = drill_section(pairs, means, days) + "\n" + steps_section(content) +
                           "\n" + origin_section(content) + "\n";
  // What is left is for what the columns' script is given.
  const std::size_t taken = out.size() + rest.size() + page_script.size();
  out += columns_section(content, pairs, means, most_bytes > taken ? most_bytes - taken : 0) + "\n";
  return out + rest + fmt::format("</main>\n<script>{}</script>\n</body>\n</html>\n", page_script);
}

}  // namespace zerobeat
