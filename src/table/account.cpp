#include <cmath>
#include <zerobeat/table/account.hpp>

namespace zerobeat {

std::size_t utf8_length(std::string_view text) {
  const auto byte = [&](std::size_t i) -> unsigned {
    return i < text.size() ? static_cast<unsigned char>(text[i]) : 0;
  };
  const auto follows = [&](std::size_t i) { return (byte(i) & 0xc0) == 0x80; };
  if (text.empty()) return 0;
  const unsigned lead = byte(0);
  if (lead < 0x80) return 1;
  // The well-formed sequences of Unicode, table 3-7.
  if (lead >= 0xc2 && lead <= 0xdf) return follows(1) ? 2 : 0;
  if (lead >= 0xe0 && lead <= 0xef) {
    if (!follows(1) || !follows(2)) return 0;
    if (lead == 0xe0 && byte(1) < 0xa0) return 0;
    if (lead == 0xed && byte(1) > 0x9f) return 0;
    return 3;
  }
  if (lead >= 0xf0 && lead <= 0xf4) {
    if (!follows(1) || !follows(2) || !follows(3)) return 0;
    if (lead == 0xf0 && byte(1) < 0x90) return 0;
    if (lead == 0xf4 && byte(1) > 0x8f) return 0;
    return 4;
  }
  return 0;
}

std::string printable(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  while (!text.empty()) {
    const std::size_t length = utf8_length(text);
    if (length == 0) {
      out += "\xef\xbf\xbd";
      text.remove_prefix(1);
    } else {
      out += text.substr(0, length);
      text.remove_prefix(length);
    }
  }
  return out;
}

std::string length_text(double seconds) {
  if (seconds < 1) return fmt::format("{:.3g} s", seconds);
  if (seconds < 120) return fmt::format("{:.4g} s", seconds);
  const auto whole = static_cast<std::int64_t>(std::llround(seconds));
  const std::int64_t days = whole / 86'400, hours = whole / 3600 % 24, minutes = whole / 60 % 60;
  if (days > 0)
    return hours > 0 ? fmt::format("{} d {} h", days, hours) : fmt::format("{} d", days);
  if (hours > 0) {
    return minutes > 0 ? fmt::format("{} h {} min", hours, minutes) : fmt::format("{} h", hours);
  }
  return whole % 60 > 0 ? fmt::format("{} min {} s", minutes, whole % 60)
                        : fmt::format("{} min", minutes);
}

std::string grouped(std::int64_t value) {
  std::string digits = fmt::format("{}", value);
  const std::size_t first = value < 0 ? 1 : 0;
  for (std::size_t i = digits.size(); i > first + 3;) {
    i -= 3;
    digits.insert(i, ",");
  }
  return digits;
}

std::string SourceAccount::text_of(const Fault& fault) const {
  return printable(text.substr(fault.byte, fault.length));
}

std::string_view SourceAccount::column_of(const Fault& fault) const {
  if (fault.column < 0) return {};
  return columns[static_cast<std::size_t>(fault.column)];
}

std::string to_text(const Account& account) {
  std::string out;
  for (const auto& source : account.sources) {
    if (!out.empty()) out += '\n';
    out += fmt::format("{}: {} records = {} kept + {} rejected + {} merged", source->source,
                       grouped(source->records), grouped(source->kept), grouped(source->rejected),
                       grouped(source->merged));
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
