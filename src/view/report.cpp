#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/view/report.hpp>

#include "base/aligned.hpp"
#include "view/page/sections.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::counted;

/// Rows of a table without the columns that say nothing in any of them; the first row is the head.
void drop_idle_columns(std::vector<std::vector<std::string>>& rows) {
  for (std::size_t column = rows[0].size(); column-- > 1;) {
    const bool idle = std::all_of(rows.begin() + 1, rows.end(),
                                  [&](const auto& row) { return row[column] == "-"; });
    if (!idle) continue;
    for (auto& row : rows) row.erase(row.begin() + static_cast<std::ptrdiff_t>(column));
  }
}

std::string time_text(Instant t, const Judgement& judgement) {
  if (judgement.time.axis.is_instants()) return to_text(t, judgement.digits);
  std::string text;
  append_elapsed(text, t, *judgement.time.axis.elapsed);
  return text;
}

/// Of one record or two nobody can tell.
std::string regular_text(const StrandJudgement& strand) {
  const bool known = strand.rhythm.is_regular() || strand.rhythm.sessions ||
                     (strand.typical_step_s && strand.records > 2);
  return known ? to_text(strand.rhythm) : "-";
}

std::string strands_text(const Judgement& judgement, std::size_t width) {
  std::vector<std::vector<std::string>> rows{{"strand", "records", "first", "last", "typical step",
                                              "regular", "gaps", "longest gap", "out of order",
                                              "most late", "same time"}};
  const auto dash = [](std::int64_t n) { return n == 0 ? std::string("-") : grouped(n); };
  const auto length = [](double seconds) { return seconds == 0 ? "-" : length_text(seconds); };
  constexpr std::size_t most = 20;
  for (const auto& strand : judgement.strands) {
    if (rows.size() > most) break;
    rows.push_back({strand.key ? shown(*strand.key) : "(all)", grouped(strand.records),
                    time_text(strand.first, judgement), time_text(strand.last, judgement),
                    strand.typical_step_s ? length_text(*strand.typical_step_s) : "-",
                    regular_text(strand), dash(strand.gaps), length(strand.longest_gap_s),
                    dash(strand.out_of_order), length(strand.most_late_s),
                    dash(strand.duplicate_times)});
  }
  drop_idle_columns(rows);
  std::string out = detail::aligned(rows, 1, rows[0].size(), "  ");
  constexpr std::size_t facts = 5;
  if (width != 0 && out.find('\n') > width && rows[0].size() > facts) {
    // Whether it is regular, and what went wrong, in tables of their own, below.
    const auto part = [&](std::size_t from, std::size_t until) {
      std::vector<std::vector<std::string>> some;
      for (const auto& row : rows) {
        some.push_back({row[0]});
        some.back().insert(some.back().end(), row.begin() + static_cast<std::ptrdiff_t>(from),
                           row.begin() + static_cast<std::ptrdiff_t>(until));
      }
      return some[0].size() == 1 ? "" : detail::aligned(some, 1, some[0].size(), "  ");
    };
    const std::size_t rest = facts + (rows[0][facts] == "regular" ? 1 : 0);
    std::vector<std::string> parts{part(1, facts), part(facts, rest), part(rest, rows[0].size())};
    std::erase(parts, "");
    out = fmt::format("{}", fmt::join(parts, "\n"));
  }
  if (judgement.strands.size() > most) {
    out += fmt::format("  and {} more strands\n", judgement.strands.size() - most);
  }
  return out;
}

/// Gaps by month and hour of the day.
std::string gaps_text(const Judgement& judgement) {
  const GapProfile& profile = judgement.gap_profile;
  if (profile.gaps == 0) return {};
  std::string out =
      fmt::format("{}: shortest {}, median {}, mean {}, longest {}; {:.4g}% covered\n",
                  counted(profile.gaps, "gap", "gaps"), length_text(profile.shortest_s),
                  length_text(profile.median_s), length_text(profile.mean_s),
                  length_text(profile.longest_s), std::floor(profile.covered * 1e4) / 100);
  if (profile.gaps < 3 || profile.months.empty()) return out;
  // More months than a screen holds are gathered into the twelve of the year.
  std::map<std::string, std::array<double, 24>> rows;
  const bool by_year = profile.months.size() > 18;
  for (const auto& month : profile.months) {
    const auto number = static_cast<unsigned>(month.month.month());
    const std::string name =
        by_year ? fmt::format("all  {:02}", number)
                : fmt::format("{}-{:02}", static_cast<int>(month.month.year()), number);
    for (std::size_t hour = 0; hour < 24; ++hour) rows[name][hour] += month.missing_s[hour] / 3600;
  }
  const auto text_of = [](double hours) {
    return hours == 0    ? std::string(".")
           : hours < 0.5 ? std::string("<1")
                         : fmt::format("{:.0f}", hours);
  };
  std::array<std::size_t, 24> widths;
  widths.fill(2);
  for (const auto& [name, missing] : rows) {
    for (std::size_t hour = 0; hour < 24; ++hour) {
      widths[hour] = std::max(widths[hour], text_of(missing[hour]).size());
    }
  }
  out += fmt::format("hours that are missing, by the clocks of {}\n  month  ",
                     judgement.time.zone.name());
  for (std::size_t hour = 0; hour < 24; ++hour) {
    out += fmt::format(" {:>{}}", fmt::format("{:02}", hour), widths[hour]);
  }
  out += '\n';
  for (const auto& [name, missing] : rows) {
    out += "  " + name;
    for (std::size_t hour = 0; hour < 24; ++hour) {
      out += fmt::format(" {:>{}}", text_of(missing[hour]), widths[hour]);
    }
    out += '\n';
  }
  return out;
}

/// `text` in lines of at most `width`, all but the first indented.
std::string wrapped(const std::string& text, std::size_t width, std::size_t indent) {
  if (width < indent + 20) return text;
  std::string out;
  std::size_t at = 0;
  while (text.size() - at > width - indent) {
    std::size_t end = text.rfind(' ', at + width - indent);
    if (end == std::string::npos || end <= at) break;
    out += text.substr(at, end - at) + "\n" + std::string(indent, ' ');
    at = end + 1;
  }
  return out + text.substr(at);
}

std::string findings_text(const Judgement& judgement, const ReportLook& look) {
  if (judgement.findings.empty()) return "no findings\n";
  std::string out = fmt::format(
      "{}, the worst first\n",
      counted(static_cast<std::int64_t>(judgement.findings.size()), "finding", "findings"));
  std::size_t count_width = 5, kind_width = 7, line_width = 4;
  const auto line_of = [](const Finding& finding) {
    return finding.first_line == 0 ? std::string("-") : fmt::format("{}", finding.first_line);
  };
  for (const auto& finding : judgement.findings) {
    count_width = std::max(count_width, grouped(finding.count).size());
    kind_width = std::max(kind_width, finding.kind.size());
    line_width = std::max(line_width, line_of(finding).size());
  }
  const auto message_of = [](const Finding& finding) {
    const bool placed = finding.first_line > 0 && !finding.file.empty();
    return finding.message + (placed ? "; the line is of " + finding.file : "");
  };
  out += fmt::format("  {:>{}}  {:<{}}  {:>{}}\n", "count", count_width, "finding", kind_width,
                     "line", line_width);
  const std::size_t indent = count_width + kind_width + line_width + 8;
  for (const auto& finding : judgement.findings) {
    constexpr const char* colors[] = {"", "", "\033[35m", "\033[31m"};
    const char* const color = look.color ? colors[weight_of(finding.kind)] : "";
    out += fmt::format("  {:>{}}  {}{:<{}}{}  {:>{}}  {}\n", grouped(finding.count), count_width,
                       color, finding.kind, kind_width, *color != '\0' ? "\033[0m" : "",
                       line_of(finding), line_width,
                       wrapped(shown(message_of(finding), 2000), look.width, indent));
  }
  return out;
}

std::string columns_text(const Judgement& judgement) {
  std::vector<std::vector<std::string>> rows{{"column", "type", "missing", "min", "max"}};
  for (const auto& column : judgement.columns) {
    const auto value_of = [](const std::optional<double>& number,
                             const std::optional<std::int64_t>& whole) {
      return number ? fmt::format("{}", *number) : whole ? fmt::format("{}", *whole) : "-";
    };
    rows.push_back({shown(column.name), to_text(column.type),
                    column.missing == 0 ? "-" : grouped(column.missing),
                    value_of(column.min, column.min_whole),
                    value_of(column.max, column.max_whole)});
  }
  return detail::aligned(rows, 2, 5, "  ");
}

using Json = nlohmann::ordered_json;

void put_counts(Json& out, const SourceAccount& account) {
  out["records"] = account.records;
  out["kept"] = account.kept;
  out["rejected"] = account.rejected;
  out["merged"] = account.merged;
  out["rejected_by_reason"] = Json::object();
  for (std::size_t i = 0; i < reasons; ++i) {
    const auto reason = static_cast<Reason>(i);
    if (reason == Reason::unreadable_reading || account.by_reason[i] == 0) continue;
    out["rejected_by_reason"][std::string(word(reason))] = account.by_reason[i];
  }
  out["unreadable_readings"] = account.unreadable_readings();
  if (!account.missing_words.empty()) {
    Json& all = out["missing_words"] = Json::array();
    for (const MissingWordCells& cells : account.missing_words) {
      all.push_back({{"column", cells.column},
                     {"count", cells.count},
                     {"first_line", cells.first_line},
                     {"word", printable(cells.word)}});
    }
  }
}

/// The files of a source that has several.
void put_files(Json& out, const SourceAccount& source) {
  if (source.parts.size() < 2) return;
  out["files"] = Json::array();
  for (const SourcePart& part : source.parts) {
    out["files"].push_back(
        {{"file", printable(part.name)}, {"records", part.records}, {"kept", part.kept}});
  }
}

Json json_of(const Account& account) {
  Json out;
  out["sources"] = Json::array();
  for (const auto& source : account.sources) {
    if (source == nullptr) continue;
    Json json;
    json["name"] = printable(source->name);
    json["file"] = printable(source->source);
    put_counts(json, *source);
    if (!source->notes.empty()) {
      json["notes"] = Json::array();
      for (const auto& note : source->notes) json["notes"].push_back(printable(note));
    }
    put_files(json, *source);
    out["sources"].push_back(std::move(json));
  }
  out["steps"] = Json::array();
  for (const auto& step : account.steps) {
    out["steps"].push_back({{"series", printable(step.series)},
                            {"step", step.step},
                            {"options", printable(step.what)},
                            {"rows_in", step.rows_in},
                            {"rows_out", step.rows_out},
                            {"cells_filled", step.cells_filled},
                            {"cells_clipped", step.cells_clipped},
                            {"seconds", step.seconds},
                            {"notes", step.notes}});
  }
  return out;
}

std::string dumped(const Json& json) {
  return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace

std::string account_json(const Account& account, const Origin* origin) {
  Json out = json_of(account);
  if (origin != nullptr) {
    const auto files = [](const std::vector<UsedFile>& used) {
      Json list = Json::array();
      for (const UsedFile& file : used) {
        Json one{{"file", printable(file.file)}};
        if (file.digest) {
          one["bytes"] = file.digest->bytes;
          one["sha256"] = file.digest->sha256;
        }
        list.push_back(std::move(one));
      }
      return list;
    };
    out["run"] = {{"version", origin->version},
                  {"plan", printable(origin->plan)},
                  {"inputs", files(origin->inputs)},
                  {"outputs", files(origin->outputs)}};
  }
  return dumped(out);
}

std::string report_text(const Judgement& judgement, const ReportLook& look) {
  const SourceAccount& account = *judgement.account;
  std::string out =
      fmt::format("{}: {} = {} kept + {} rejected + {} merged\n", shown(account.source, 200),
                  counted(account.records, "record", "records"), grouped(account.kept),
                  grouped(account.rejected), grouped(account.merged));
  out += fmt::format("times in {}, read as {}{}, zone {}\n\n", shown(judgement.time.name),
                     shown(judgement.time.format),
                     judgement.time.also.empty() ? "" : " and " + judgement.time.also,
                     judgement.time.zone.name());
  out += findings_text(judgement, look);
  if (!judgement.strands.empty()) out += "\n" + strands_text(judgement, look.width);
  if (judgement.gap_profile.gaps > 0) out += "\n" + gaps_text(judgement);
  if (!judgement.columns.empty()) out += "\n" + columns_text(judgement);
  return out;
}

std::string report_json(const Judgement& judgement) {
  Json out;
  out["source"] = printable(judgement.account->source);
  put_counts(out, *judgement.account);
  put_files(out, *judgement.account);
  out["time"] = {{"column", judgement.time.name},
                 {"format", judgement.time.format},
                 {"zone", judgement.time.zone.name()}};
  if (!judgement.time.also.empty()) out["time"]["also"] = judgement.time.also;
  out["strands"] = Json::array();
  for (const auto& strand : judgement.strands) {
    Json one;
    one["key"] = strand.key ? Json(key_text(*strand.key)) : Json(nullptr);
    one["records"] = strand.records;
    const auto time = [&](Instant t) {
      const auto& elapsed = judgement.time.axis.elapsed;
      return elapsed ? Json(elapsed_number(t, *elapsed)) : Json(time_text(t, judgement));
    };
    one["first"] = time(strand.first);
    one["last"] = time(strand.last);
    one["typical_step_s"] = strand.typical_step_s ? Json(*strand.typical_step_s) : Json(nullptr);
    const Rhythm& rhythm = strand.rhythm;
    one["rhythm"] = to_text(rhythm);
    one["period"] = rhythm.is_regular() ? Json(to_text(rhythm.period)) : Json(nullptr);
    one["places"] = rhythm.places;
    one["absent"] = rhythm.absent;
    one["sessions"] = rhythm.sessions ? Json(to_text(*rhythm.sessions)) : Json(nullptr);
    one["out_of_order"] = strand.out_of_order;
    one["most_late_s"] = strand.most_late_s;
    one["duplicate_times"] = strand.duplicate_times;
    one["gaps"] = strand.gaps;
    one["longest_gap_s"] = strand.longest_gap_s;
    out["strands"].push_back(one);
  }
  const GapProfile& profile = judgement.gap_profile;
  out["gap_profile"] = {{"gaps", profile.gaps},           {"shortest_s", profile.shortest_s},
                        {"mean_s", profile.mean_s},       {"median_s", profile.median_s},
                        {"longest_s", profile.longest_s}, {"covered", profile.covered},
                        {"months", Json::array()}};
  for (const auto& month : profile.months) {
    out["gap_profile"]["months"].push_back(
        {{"month", fmt::format("{}-{:02}", static_cast<int>(month.month.year()),
                               static_cast<unsigned>(month.month.month()))},
         {"missing_s", month.missing_s}});
  }
  out["columns"] = Json::array();
  for (const auto& column : judgement.columns) {
    Json one;
    one["name"] = column.name;
    one["type"] = to_text(column.type);
    one["missing"] = column.missing;
    const auto put = [&](const char* name, const auto& number, const auto& whole) {
      one[name] = number ? Json(*number) : whole ? Json(*whole) : Json(nullptr);
    };
    put("min", column.min, column.min_whole);
    put("max", column.max, column.max_whole);
    out["columns"].push_back(one);
  }
  out["findings"] = Json::array();
  for (const auto& finding : judgement.findings) {
    out["findings"].push_back(
        {{"kind", finding.kind},
         {"count", finding.count},
         {"first_line", finding.first_line == 0 ? Json(nullptr) : Json(finding.first_line)},
         {"file", finding.file.empty() ? Json(nullptr) : Json(finding.file)},
         {"message", finding.message}});
  }
  return dumped(out);
}

std::string report_json(std::span<const Judgement> judgements) {
  if (judgements.size() == 1) return report_json(judgements[0]);
  std::string all;
  for (const Judgement& judgement : judgements) {
    all += (all.empty() ? "[" : ",\n") + report_json(judgement);
  }
  return (all.empty() ? "[" : all) + "]\n";
}

}  // namespace zerobeat
