#include "view/picture/names.hpp"

#include <algorithm>
#include <array>
#include <string_view>
#include <vector>

#include "table/column_unit.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Statistics of readings that have the readings' own unit.
constexpr std::array<std::string_view, 14> of_the_unit{"mean", "min",  "max",    "first", "last",
                                                       "sum",  "std",  "median", "mode",  "range",
                                                       "open", "high", "low",    "close"};

std::vector<std::string_view> words_of(std::string_view name) {
  std::vector<std::string_view> words;
  while (true) {
    const std::size_t end = name.find('_');
    words.push_back(name.substr(0, end));
    if (end == std::string_view::npos) return words;
    name.remove_prefix(end + 1);
  }
}

bool starts_a_window(std::string_view rest) {
  constexpr std::array<std::string_view, 5> smooth{"_mean", "_median", "_ewma", "_trend",
                                                   "_fitted"};
  return std::ranges::any_of(smooth, [&](std::string_view word) {
    return rest.starts_with(word) && (rest.size() == word.size() || rest[word.size()] == '_');
  });
}

/// Whether options say NAME=mean(COLUMN), or another that smooths.
bool is_mean_of(std::string_view options, const std::string& name, const std::string& column) {
  const std::string entry = name + "=";
  for (std::size_t at = options.find(entry); at != std::string_view::npos;
       at = options.find(entry, at + 1)) {
    const std::string_view take = options.substr(at + entry.size());
    for (const std::string_view word : {"mean(", "median(", "ewma("}) {
      if (!take.starts_with(word)) continue;
      const std::string_view of = take.substr(word.size());
      if (of.starts_with(column) && of.size() > column.size() &&
          (of[column.size()] == ')' || of[column.size()] == ',')) {
        return true;
      }
    }
  }
  return false;
}

}  // namespace

std::string name_with_unit(const std::string& column) {
  auto words = words_of(column);
  std::string_view statistic;
  if (words.size() > 2 && std::ranges::find(of_the_unit, words.back()) != of_the_unit.end()) {
    if (!unit_of(words[words.size() - 2]).empty()) {
      statistic = words.back();
      words.pop_back();
    }
  }
  const std::string_view unit = unit_of(words.back());
  if (words.size() < 2 || unit.empty() || words[0].empty()) return column;
  std::string name(words[0]);
  for (std::size_t i = 1; i + 1 < words.size(); ++i) name += " " + std::string(words[i]);
  if (!statistic.empty()) name += " " + std::string(statistic);
  return name + " (" + std::string(unit) + ")";
}

bool is_smoothed(const Timeline& timeline, const std::string& smooth, const std::string& column) {
  if (smooth == column) return false;
  const bool both = timeline.values().find(smooth) && timeline.values().find(column);
  if (!both) return false;
  if (smooth.starts_with(column) &&
      starts_a_window(std::string_view(smooth).substr(column.size()))) {
    return true;
  }
  // A take with a name of its own is known by the options of roll; of several windows the name goes
  // on with the window.
  for (const StepAccount& step : timeline.account().steps) {
    if (step.step != "roll") continue;
    for (std::size_t end = smooth.size(); end != std::string::npos && end > 0;
         end = smooth.rfind('_', end - 1)) {
      if (is_mean_of(step.what, smooth.substr(0, end), column)) return true;
    }
  }
  return false;
}

}  // namespace zerobeat::detail
