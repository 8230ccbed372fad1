#include "gone.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

#include "words.hpp"

namespace zerobeat::tool {

namespace {

/// An option that plot had, the step that makes what it drew, and that step's own option; empty:
/// the flag alone says it.
struct GoneOption {
  std::string_view option, step, becomes;
};
constexpr std::array<GoneOption, 5> gone{{{"--by", "profile", "--by"},
                                          {"--describe", "describe", "--on"},
                                          {"--missing", "gaps", ""},
                                          {"--tune", "tune", "--on"},
                                          {"--try", "fill", "--try"}}};

/// What went with them, and of which step it is an option now.
struct Companion {
  std::string_view option, step;
};
constexpr std::array<Companion, 7> companions{{{"--take", "profile"},
                                               {"--with", "tune"},
                                               {"--against", "tune"},
                                               {"--within", "tune"},
                                               {"--drift", "tune"},
                                               {"--hide", "fill"},
                                               {"--seed", "fill"}}};

bool is_choice(std::string_view option) {
  return option == "--between" || option == "--last" || option == "--keys";
}

/// The options that plot has: how a picture looks, and whether one is a flag.
const BoundOption* own_option(std::string_view option) {
  for (const OptionGroup& group : command_of("plot").groups) {
    for (const BoundOption& own : group.options) {
      if (option == "--" + own.name || (option == "-o" && own.name == "output")) return &own;
    }
  }
  return nullptr;
}

bool is_look(std::string_view option) {
  const auto& looks = command_of("plot").groups[0].options;
  return option == "-o" || std::ranges::any_of(looks, [&](const BoundOption& own) {
           return option == "--" + own.name;
         });
}

/// A word as a shell takes it.
std::string for_shell(const std::string& word) {
  constexpr std::string_view plain =
      "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./:,+=%@";
  if (!word.empty() && word.find_first_not_of(plain) == std::string::npos) return word;
  std::string quoted = "'";
  for (const char c : word) quoted += c == '\'' ? "'\\''" : std::string(1, c);
  return quoted + "'";
}

/// An option with its value, if it has one.
struct GivenOption {
  std::string name;
  std::vector<std::string> words;
};

/// A part's words as options and files. What is no flag of plot has a value.
std::vector<GivenOption> read(const std::vector<std::string>& words) {
  const auto is_flag = [](std::string_view option) {
    const BoundOption* own = own_option(option);
    return own != nullptr ? own->value_name.empty() || own->type == OptionType::word
                          : option == "--drift";
  };
  std::vector<GivenOption> all;
  for (std::size_t i = 0; i < words.size(); ++i) {
    const std::string& word = words[i];
    if (!word.starts_with("-") || word == "-") {
      all.push_back({"", {word}});
      continue;
    }
    const std::size_t equals = word.find('=');
    GivenOption given{word.substr(0, equals), {word}};
    // --missing was a flag of plot, and is an option of reading when words follow.
    const bool ends =
        i + 1 == words.size() || (word == "--missing" && words[i + 1].starts_with("-"));
    const bool alone = equals != std::string::npos || is_flag(word) || ends;
    if (!alone) given.words.push_back(words[++i]);
    if (given.name == "--missing" && (given.words.size() > 1 || equals != std::string::npos)) {
      given.name = "--missing WORDS";
    }
    all.push_back(std::move(given));
  }
  return all;
}

std::string value_of(const GivenOption& given) {
  if (given.words.size() > 1) return given.words[1];
  const std::size_t equals = given.words[0].find('=');
  return equals == std::string::npos ? "" : given.words[0].substr(equals + 1);
}

}  // namespace

void refuse_gone_options(const std::vector<std::string>& words) {
  const auto last = std::find(words.rbegin(), words.rend(), "+");
  const auto begin = last.base();
  if (begin == words.end() || *begin != "plot") return;
  const auto options = read({begin + 1, words.end()});
  const GoneOption* kind = nullptr;
  for (const GoneOption& each : gone) {
    const bool there = std::ranges::find(options, each.option, &GivenOption::name) != options.end();
    if (there && kind == nullptr) kind = &each;
  }
  if (kind == nullptr) return;

  std::vector<std::string> files, shared, choice, step{std::string(kind->step)}, plot{"plot"};
  const auto add = [](std::vector<std::string>& to, const GivenOption& given) {
    to.insert(to.end(), given.words.begin(), given.words.end());
  };
  for (const GivenOption& given : options) {
    const auto companion = std::ranges::find(companions, given.name, &Companion::option);
    if (given.name.empty()) {
      add(files, given);
    } else if (given.name == kind->option) {
      if (kind->becomes.empty()) continue;
      step.emplace_back(kind->becomes);
      step.push_back(value_of(given));
    } else if (companion != companions.end() && companion->step == kind->step) {
      add(step, given);
    } else if (given.name == "--y" && (kind->step == "gaps" || kind->step == "fill")) {
      step.emplace_back("--on");
      step.push_back(value_of(given));
    } else if (is_choice(given.name)) {
      add(choice, given);
    } else if (is_look(given.name)) {
      add(plot, given);
    } else {
      add(shared, given);
    }
  }
  if (kind->step == "profile" && std::ranges::find(step, "--take") == step.end()) {
    const auto y = std::ranges::find(options, "--y", &GivenOption::name);
    if (y != options.end()) step.insert(step.end(), {"--take", "mean(" + value_of(*y) + ")"});
  }
  // Steps of one source follow what brings several together, or chooses.
  std::vector<std::vector<std::string>> parts;
  const bool first = last == words.rend();
  if (!first) parts.push_back({words.begin(), begin - 1});
  const bool several = files.size() > 1 && kind->step != "tune";
  if (first && several) parts.push_back({"append", "--key-from", "source"});
  if (!choice.empty()) {
    choice.insert(choice.begin(), "select");
    parts.push_back(choice);
  }
  parts.push_back(step);
  auto& reads = parts.front();
  if (first) {
    const auto at = reads.insert(reads.begin() + 1, files.begin(), files.end());
    reads.insert(at + static_cast<std::ptrdiff_t>(files.size()), shared.begin(), shared.end());
  } else {
    reads.insert(reads.end(), shared.begin(), shared.end());
  }
  parts.push_back(plot);
  std::string chain = "zerobeat";
  for (const auto& part : parts) {
    if (&part != &parts.front()) chain += " +";
    for (const auto& word : part) chain += " " + for_shell(word);
  }
  fail_usage("plot: {} is no option of it any more; plot draws what the step before it made:\n  {}",
             kind->option, shown_lines(chain));
}

}  // namespace zerobeat::tool
