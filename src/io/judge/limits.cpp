#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/limits.hpp>
#include <zerobeat/io/write.hpp>

namespace zerobeat::inline v1 {

namespace {

/// The word that stands most often where a number should, to suggest as one for missing.
std::string commonest_unreadable(const SourceAccount& account) {
  std::map<std::string, int> words;
  for (const Fault& fault : account.faults) {
    if (fault.reason == Reason::unreadable_reading && words.size() < 1000) {
      ++words[account.text_of(fault)];
    }
  }
  const auto most = std::ranges::max_element(words, {}, [](const auto& w) { return w.second; });
  return most == words.end() ? std::string() : most->first;
}

/// What the faults look like, when an option would read them.
struct Hints {
  bool comments = false;       ///< records that start with #
  bool decimal_comma = false;  ///< readings like 3,14
};

Hints hints_of(const SourceAccount& account) {
  Hints hints;
  // A header that begins so was a comment, and all that follows has other cells.
  hints.comments = account.raw(0, 1) == "#" &&
                   account.by_reason[static_cast<std::size_t>(Reason::field_count)] > 0;
  constexpr std::size_t looked_at = 1000;
  for (std::size_t i = 0; i < std::min(looked_at, account.faults.size()); ++i) {
    const std::string text = account.text_of(account.faults[i]);
    hints.comments |= account.faults[i].reason == Reason::field_count && text.starts_with('#');
    const std::size_t comma = text.find(',');
    const bool digits = text.find_first_not_of("0123456789,-+") == std::string_view::npos;
    hints.decimal_comma |= account.faults[i].reason == Reason::unreadable_reading && digits &&
                           comma != std::string_view::npos && comma + 1 < text.size();
  }
  return hints;
}

}  // namespace

void from_text(std::string_view text, Tolerable& out) {
  std::string_view digits = text;
  out.percent = !digits.empty() && digits.back() == '%';
  if (out.percent) digits.remove_suffix(1);
  bool good = true;
  try {
    if (out.percent) {
      from_text(digits, out.number);
    } else {
      std::int64_t whole = 0;
      from_text(digits, whole);
      out.number = static_cast<double>(whole);
    }
  } catch (const Error&) {
    good = false;
  }
  if (!good || out.number < 0 || (out.percent && out.number > 100)) {
    fail_usage("\"{}\" is neither a number of records nor a percentage; write it like 12 or 0.5%",
               text);
  }
}

std::string to_text(const Tolerable& tolerable) {
  return fmt::format("{}{}", tolerable.number, tolerable.percent ? "%" : "");
}

void check_limits(const SourceAccount& account, const Limits& limits) {
  const std::int64_t faulty = account.at_fault();
  if (faulty == 0) return;
  const bool told = limits.tolerate || !limits.rejects.empty();
  bool tolerable = told;
  if (limits.tolerate) {
    const double number = limits.tolerate->number;
    tolerable = limits.tolerate->percent ? static_cast<double>(faulty) * 100 <=
                                               number * static_cast<double>(account.records)
                                         : static_cast<double>(faulty) <= number;
  }
  if (tolerable) return;

  std::string message =
      fmt::format("{}: {} of {} records {} at fault", shown(account.source, 200), grouped(faulty),
                  grouped(account.records), faulty == 1 ? "is" : "are");
  message += limits.tolerate ? fmt::format(", more than ‹tolerate› {}; no data was written",
                                           to_text(*limits.tolerate))
                             : "; no data was written";
  constexpr std::size_t most = 5;
  for (std::size_t i = 0; i < std::min(most, account.faults.size()); ++i) {
    const Fault& fault = account.faults[i];
    const auto column = account.column_of(fault);
    const auto& part = account.part_of(fault.byte);
    message += fmt::format(
        "\n  {}{} {}: {}{}: {}", account.parts.size() > 1 ? shown(part.name, 200) + ": " : "",
        part.has_rows() ? "row" : "line", fault.line, word(fault.reason),
        column.empty() ? "" : fmt::format(" in {}", shown(column)), shown(account.text_of(fault)));
  }
  std::int64_t all = 0;
  for (const std::int64_t count : account.by_reason) all += count;
  if (all > static_cast<std::int64_t>(most)) {
    message += fmt::format("\n  and {} more", grouped(all - static_cast<std::int64_t>(most)));
  }
  const auto way = [&](const std::string& option, const std::string& what) {
    message += fmt::format("\n  {:<18}  {}", option, what);
  };
  message += "\nto go on:";
  if (limits.rejects.empty()) way("‹rejects› FILE", "sets them aside in a file");
  way(fmt::format("‹tolerate› {}", faulty), "goes on all the same");
  if (const std::string common = commonest_unreadable(account); !common.empty()) {
    way("‹missing› " + shown(common),
        fmt::format("when \"{}\" stands for a missing reading", shown(common)));
  }
  const auto has = [&](Reason reason) {
    return account.by_reason[static_cast<std::size_t>(reason)] > 0;
  };
  if (has(Reason::repeated_time)) {
    way("‹repeated› WHICH", "reads local times that happen twice: earlier, later, or by order");
  }
  if (has(Reason::skipped_time)) {
    way("‹skipped› forward", "reads local times that never happen as after the jump");
  }
  const Hints hints = hints_of(account);
  if (hints.comments) way("‹comment› '#'", "passes over lines that start with #");
  if (hints.decimal_comma) way("‹decimal› comma", "when the comma is a decimal mark");
  throw Error(Error::Kind::limit, message);
}

void write_rejects_header(const SourceAccount& account, Output& output) {
  output.write(account.is_pattern ? "source,line,byte,column,reason,text\n"
                                  : "line,byte,column,reason,text\n");
}

namespace {

void append(fmt::memory_buffer& out, std::string_view text) {
  out.append(text.data(), text.data() + text.size());
}

/// As a cell, stretch by stretch between its quotes.
void append_cell(fmt::memory_buffer& out, std::string_view text) {
  if (text.find_first_of(",\"\r\n") == std::string_view::npos) return append(out, text);
  out.push_back('"');
  for (std::size_t quote = text.find('"'); quote != std::string_view::npos;
       quote = text.find('"')) {
    append(out, text.substr(0, quote + 1));
    out.push_back('"');
    text.remove_prefix(quote + 1);
  }
  append(out, text);
  out.push_back('"');
}

}  // namespace

void write_rejects(const SourceAccount& account, Output& output) {
  fmt::memory_buffer out;
  for (const Fault& fault : account.faults) {
    if (account.is_pattern) {
      append_cell(out, account.part_of(fault.byte).name);
      out.push_back(',');
    }
    append(out, fmt::format_int(fault.line).c_str());
    out.push_back(',');
    if (const auto byte = account.file_byte(fault)) append(out, fmt::format_int(*byte).c_str());
    out.push_back(',');
    append_cell(out, account.column_of(fault));
    out.push_back(',');
    append(out, word(fault.reason));
    out.push_back(',');
    append_cell(out, account.text_of(fault));
    out.push_back('\n');
    if (out.size() > (std::size_t{1} << 20)) {
      output.write({out.data(), out.size()});
      out.clear();
    }
  }
  output.write({out.data(), out.size()});
}

}  // namespace zerobeat
