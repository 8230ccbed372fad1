#include "words.hpp"

#include <CLI/CLI.hpp>
#include <algorithm>

#include "gone.hpp"

namespace zerobeat::tool {

namespace {

/// An option that a word may have been meant for, or all there are. The dashes make no word longer.
std::string near_option(std::string_view word, const std::vector<std::string>& options) {
  const auto bare = [](std::string_view option) {
    return std::string(option.substr(std::min(option.find_first_not_of('-'), option.size())));
  };
  std::vector<std::string> names;
  for (const auto& option : options) names.push_back(bare(option));
  const std::string near = nearest(bare(word), names);
  return near.size() > 1 ? "; did you mean --" + near + "?" : did_you_mean("", options);
}

/// The command's options as CLI11 reads them, each into the part's list of values.
void declare(CLI::App& app, const Command& command, ChainPart& part) {
  app.allow_extras();
  app.set_help_flag();
  app.add_flag_callback("-h,--help", [&part] { part.help = true; });
  for (const OptionGroup& group : command.groups) {
    for (const BoundOption& option : group.options) {
      if (app.get_option_no_throw("--" + option.name) != nullptr) continue;
      auto& values = part.given[option.name];
      const std::string flag = (option.name == "output" ? "-o,--" : "--") + option.name;
      if (option.value_name.empty()) {
        app.add_flag_callback(flag, [&values] { values.emplace_back("true"); })->trigger_on_parse();
      } else {
        app.add_option_function<std::string>(
               flag, [&values](const std::string& value) { values.push_back(value); })
            ->trigger_on_parse();
      }
    }
  }
  app.add_option("files", part.files);
}

/// A flag that a word may follow has one in any case: "true", unless it is the next one.
std::vector<std::string> with_flags_said(const Command& command, std::vector<std::string> words) {
  for (const OptionGroup& group : command.groups) {
    for (const BoundOption& option : group.options) {
      if (option.type != OptionType::word) continue;
      const std::string flag = "--" + option.name;
      const std::string word = option.value_name.substr(1, option.value_name.size() - 2);
      for (auto at = words.begin(); (at = std::find(at, words.end(), flag)) != words.end(); ++at) {
        const auto next = std::next(at);
        if (next != words.end() && *next == word) {
          words.erase(next);
          *at += "=" + word;
        } else {
          *at += "=true";
        }
      }
    }
  }
  return words;
}

ChainPart read_part(const Command& command, const std::vector<std::string>& words) {
  ChainPart part;
  part.command = command.name;
  CLI::App app(command.help, command.name);
  declare(app, command, part);
  const auto given = with_flags_said(command, words);
  std::vector<std::string> reversed(given.rbegin(), given.rend());
  try {
    app.parse(reversed);
  } catch (const CLI::ParseError& error) {
    fail_usage("{}: {}", command.name, shown(error.what(), 300));
  }
  std::vector<std::string> names{"--help", "-o"};
  for (const auto& group : command.groups) {
    for (const auto& option : group.options) names.push_back("--" + option.name);
  }
  if (std::find(names.begin(), names.end(), "--output") == names.end()) {
    names.erase(names.begin() + 1);
  }
  for (const auto& extra : app.remaining()) {
    if (extra == "--") continue;
    const std::string option = extra.substr(0, extra.find('='));
    fail_usage("{}: there is no option {}{}", command.name, shown(option),
               near_option(option, names));
  }
  for (auto at = part.given.begin(); at != part.given.end();) {
    at = at->second.empty() ? part.given.erase(at) : std::next(at);
  }
  return part;
}

}  // namespace

std::vector<ChainPart> read_parts(const std::vector<std::string>& words) {
  refuse_gone_options(words);
  std::vector<ChainPart> parts;
  auto at = words.begin();
  while (true) {
    const auto end = std::find(at, words.end(), "+");
    if (at == end) {
      fail_usage("{}: a + has a step on both sides: fill … + roll …",
                 parts.empty() ? "chain" : parts.back().command);
    }
    const Command& command = command_of(*at);
    parts.push_back(read_part(command, {at + 1, end}));
    if (end == words.end()) return parts;
    at = end + 1;
  }
}

}  // namespace zerobeat::tool
