#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <zerobeat/option.hpp>
#include <zerobeat/view/report.hpp>

#include "base/aligned.hpp"

namespace zerobeat {

namespace {

std::string counted(std::int64_t n, const char* one, const char* more) {
  return fmt::format("{} {}", grouped(n), n == 1 ? one : more);
}

std::string strands_text(const Judgement& judgement) {
  std::vector<std::vector<std::string>> rows{{"strand", "records", "first", "last", "typical step",
                                              "gaps", "longest gap", "out of order", "most late",
                                              "same time"}};
  const auto dash = [](std::int64_t n) { return n == 0 ? std::string("-") : grouped(n); };
  const auto length = [](double seconds) { return seconds == 0 ? "-" : length_text(seconds); };
  constexpr std::size_t most = 20;
  for (const auto& strand : judgement.strands) {
    if (rows.size() > most) break;
    rows.push_back({strand.key.value_or("(all)"), grouped(strand.records),
                    to_text(strand.first, judgement.digits), to_text(strand.last, judgement.digits),
                    strand.typical_step_s ? length_text(*strand.typical_step_s) : "-",
                    dash(strand.gaps), length(strand.longest_gap_s), dash(strand.out_of_order),
                    length(strand.most_late_s), dash(strand.duplicate_times)});
  }
  std::string out = detail::aligned(rows, 1, 10, "  ");
  if (judgement.strands.size() > most) {
    out += fmt::format("  and {} more strands\n", judgement.strands.size() - most);
  }
  return out;
}

std::string columns_text(const Judgement& judgement) {
  std::vector<std::vector<std::string>> rows{{"column", "type", "missing", "min", "max"}};
  for (const auto& column : judgement.columns) {
    const auto shown = [](const std::optional<double>& number,
                          const std::optional<std::int64_t>& whole) {
      return number ? fmt::format("{}", *number) : whole ? fmt::format("{}", *whole) : "-";
    };
    rows.push_back({column.name, to_text(column.type),
                    column.missing == 0 ? "-" : grouped(column.missing),
                    shown(column.min, column.min_whole), shown(column.max, column.max_whole)});
  }
  return detail::aligned(rows, 2, 5, "  ");
}

}  // namespace

std::string report_text(const Judgement& judgement) {
  const SourceAccount& account = *judgement.account;
  std::string out =
      fmt::format("{}: {} = {} kept + {} rejected + {} merged\n", account.source,
                  counted(account.records, "record", "records"), grouped(account.kept),
                  grouped(account.rejected), grouped(account.merged));
  out += fmt::format(
      "times in {}, read as {}{}, zone {}\n", judgement.time.name, judgement.time.format,
      judgement.time.also.empty() ? "" : " and " + judgement.time.also, judgement.time.zone.name());
  if (!judgement.strands.empty()) out += "\n" + strands_text(judgement);
  if (!judgement.columns.empty()) out += "\n" + columns_text(judgement);
  if (judgement.findings.empty()) return out + "\nno findings\n";

  out += fmt::format(
      "\n{}, the worst first\n",
      counted(static_cast<std::int64_t>(judgement.findings.size()), "finding", "findings"));
  std::vector<std::vector<std::string>> rows{{"count", "finding", "first line", ""}};
  for (const auto& finding : judgement.findings) {
    rows.push_back({grouped(finding.count), finding.kind,
                    finding.first_line == 0 ? "-" : fmt::format("{}", finding.first_line),
                    finding.message});
  }
  // The count is set right, the kind left: two tables side by side would be needed for more.
  std::size_t width = 5;
  for (const auto& row : rows) width = std::max(width, row[0].size());
  for (auto& row : rows) row[0].insert(0, width - row[0].size(), ' ');
  out += detail::aligned(rows, 2, 3, "  ");
  return out;
}

std::string report_json(const Judgement& judgement) {
  using Json = nlohmann::ordered_json;
  const SourceAccount& account = *judgement.account;
  Json out;
  out["source"] = printable(account.source);
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
  out["time"] = {{"column", judgement.time.name},
                 {"format", judgement.time.format},
                 {"zone", judgement.time.zone.name()}};
  if (!judgement.time.also.empty()) out["time"]["also"] = judgement.time.also;
  out["strands"] = Json::array();
  for (const auto& strand : judgement.strands) {
    Json one;
    one["key"] = strand.key ? Json(*strand.key) : Json(nullptr);
    one["records"] = strand.records;
    one["first"] = to_text(strand.first, judgement.digits);
    one["last"] = to_text(strand.last, judgement.digits);
    one["typical_step_s"] = strand.typical_step_s ? Json(*strand.typical_step_s) : Json(nullptr);
    one["out_of_order"] = strand.out_of_order;
    one["most_late_s"] = strand.most_late_s;
    one["duplicate_times"] = strand.duplicate_times;
    one["gaps"] = strand.gaps;
    one["longest_gap_s"] = strand.longest_gap_s;
    out["strands"].push_back(one);
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
         {"message", finding.message}});
  }
  return out.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace zerobeat
