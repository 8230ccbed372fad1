#include <fmt/format.h>

#include <algorithm>

#include "words.hpp"

namespace zerobeat::tool {

namespace {

/// `text` in lines of at most `width` letters, all but the first indented.
std::string wrapped(const std::string& text, std::size_t width, std::size_t indent) {
  std::string out;
  std::size_t column = indent;
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t end = std::min(text.find(' ', at), text.size());
    const std::size_t length = end - at;
    if (column > indent && column + 1 + length > width) {
      out += "\n" + std::string(indent, ' ');
      column = indent;
    } else if (column > indent) {
      out += ' ';
      ++column;
    }
    out += text.substr(at, length);
    column += length;
    at = end + 1;
  }
  return out;
}

std::string option_lines(const BoundOption& option, std::size_t width) {
  constexpr std::size_t indent = 26;
  std::string name = "  " + std::string(option.name == "output" ? "-o, --" : "--") + option.name;
  if (!option.value_name.empty()) name += " " + option.value_name;
  std::string help = with_dashes(option.help);
  const std::string value = option.get();
  if (!value.empty() && !option.value_name.empty()) help += " [" + value + "]";
  if (name.size() + 2 > indent) {
    name += "\n" + std::string(indent, ' ');
  } else {
    name += std::string(indent - name.size(), ' ');
  }
  return name + wrapped(help, width, indent) + "\n";
}

}  // namespace

std::string help_of(const Command& command, std::size_t width) {
  std::string out = fmt::format("zerobeat {} — {}\n\n", command.name, command.help);
  out += wrapped(command.operands, width, 0) + "\n";
  if (!command.example.empty()) out += "\nexample:\n  zerobeat " + command.example + "\n";
  if (!command.statistics.empty()) {
    out += "\nstatistics:\n  " +
           wrapped(fmt::format("{}", fmt::join(command.statistics, " ")), width, 2) + "\n";
  }
  for (const OptionGroup& group : command.groups) {
    out += "\n" + group.title + ":\n";
    for (const auto& option : group.options) out += option_lines(option, width);
  }
  return out;
}

std::string help_of_tool(std::size_t width) {
  std::string out =
      "zerobeat COMMAND [OPTIONS] [FILE...]\n\n" +
      wrapped("Timestamped records onto one common beat, with every record accounted for.", width,
              0) +
      "\n\n";
  for (const Command& command : all_commands()) {
    out += fmt::format("  {:<12}{}\n", command.name, wrapped(command.help, width, 14));
  }
  out += "  help COMMAND  its options, an example, and the statistics that go with it\n";
  out +=
      "\n" +
      wrapped("A lone + begins the next step, which works on what the one before made:", width, 0) +
      "\n  zerobeat resample tide_gauge.csv --tolerate 1% --every 15min + fill --max-gap 1h "
      "-o level.csv\n";
  return out;
}

}  // namespace zerobeat::tool
