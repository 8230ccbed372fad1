#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/judge/source_account.hpp>

namespace zerobeat::inline v1 {

namespace {

std::int64_t sum(const Account& account, std::int64_t SourceAccount::*count) {
  std::int64_t total = 0;
  for (const auto& source : account.sources) {
    if (source != nullptr) total += (*source).*count;
  }
  return total;
}

}  // namespace

std::int64_t Account::records() const { return sum(*this, &SourceAccount::records); }
std::int64_t Account::kept() const { return sum(*this, &SourceAccount::kept); }
std::int64_t Account::rejected() const { return sum(*this, &SourceAccount::rejected); }
std::int64_t Account::merged() const { return sum(*this, &SourceAccount::merged); }

const StepAccount& Account::last() const {
  if (steps.empty()) fail_usage("an account without steps has no last one");
  return steps.back();
}

void add_to(Account& account, const Account& other) {
  for (const auto& source : other.sources) {
    if (std::ranges::find(account.sources, source) == account.sources.end()) {
      account.sources.push_back(source);
    }
  }
  // A step that two timelines have in common took the same time to the nanosecond.
  for (const auto& step : other.steps) {
    if (std::ranges::find(account.steps, step) == account.steps.end()) {
      account.steps.push_back(step);
    }
  }
}

const SourcePart& SourceAccount::part_of(std::uint64_t place) const {
  if (place / part_bytes >= parts.size()) {
    fail_usage("a place in part {} of {}, which has {}", place / part_bytes, shown(source, 200),
               parts.size());
  }
  return parts[place / part_bytes];
}

std::string_view SourceAccount::raw(std::uint64_t place, std::uint64_t length) const {
  if (parts.empty()) return {};
  const std::string_view text = part_of(place).text;
  const std::uint64_t from = byte_within(place);
  return from < text.size() ? text.substr(from, length) : std::string_view();
}

std::uint64_t SourceAccount::record_length(std::uint64_t place) const {
  if (parts.empty()) return 0;
  const SourcePart& part = part_of(place);
  return part.record_length ? part.record_length(byte_within(place)) : 0;
}

std::optional<std::uint64_t> SourceAccount::file_byte(const Fault& fault) const {
  const std::uint64_t byte = byte_within(fault.byte);
  if (parts.empty()) return byte;
  const SourcePart& part = part_of(fault.byte);
  if (part.has_rows()) return std::nullopt;
  return part.file_byte ? part.file_byte(byte) : byte;
}

std::string SourceAccount::text_of(const Fault& fault) const {
  if (!parts.empty() && part_of(fault.byte).has_rows()) {
    const bool cell = fault.reason == Reason::unreadable_reading;
    return printable(
        part_of(fault.byte).row_text(byte_within(fault.byte), cell ? fault.column : -1));
  }
  return printable(raw(fault.byte, fault.length));
}

std::string_view SourceAccount::column_of(const Fault& fault) const {
  if (fault.column < 0 || static_cast<std::size_t>(fault.column) >= columns.size()) return {};
  return columns[static_cast<std::size_t>(fault.column)];
}

std::string to_text(const Account& account) {
  std::string out;
  for (const auto& source : account.sources) {
    if (source == nullptr) continue;
    if (!out.empty()) out += '\n';
    out += fmt::format("{}: {} records = {} kept + {} rejected + {} merged",
                       shown(source->source, 200), grouped(source->records), grouped(source->kept),
                       grouped(source->rejected), grouped(source->merged));
    for (const auto& note : source->notes) out += "\n  " + note;
    if (source->parts.size() > 1) {
      // Of many, those that lost some; the account as JSON names all.
      constexpr std::size_t few = 12;
      for (const SourcePart& part : source->parts) {
        if (source->parts.size() > few && part.kept == part.records) continue;
        out += fmt::format("\n  {}: {} records = {} kept + {} rejected", shown(part.name, 200),
                           grouped(part.records), grouped(part.kept),
                           grouped(part.records - part.kept));
      }
    }
    for (std::size_t i = 0; i < reasons; ++i) {
      const std::int64_t count = source->by_reason[i];
      if (count == 0) continue;
      const bool reading = static_cast<Reason>(i) == Reason::unreadable_reading;
      out += fmt::format("\n  {} {}{}", grouped(count), word(static_cast<Reason>(i)),
                         reading ? " (the record stays, the reading is missing)" : "");
    }
  }
  for (const auto& step : account.steps) {
    out += fmt::format("\n{}: {} rows in, {} out", step.step, grouped(step.rows_in),
                       grouped(step.rows_out));
    if (step.cells_filled != 0) out += fmt::format(", {} filled", grouped(step.cells_filled));
    if (step.cells_clipped != 0) out += fmt::format(", {} clipped", grouped(step.cells_clipped));
    for (const auto& note : step.notes) out += "\n  " + note;
  }
  return out;
}

}  // namespace zerobeat

auto fmt::formatter<zerobeat::Account>::format(const zerobeat::Account& account,
                                               format_context& context) const
    -> format_context::iterator {
  return fmt::format_to(context.out(), "{}", zerobeat::to_text(account));
}
