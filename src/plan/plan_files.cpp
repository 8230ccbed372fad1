#include "plan/plan_files.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <optional>
#include <sstream>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

namespace {

namespace fs = std::filesystem;

/// The keys of a line that has more dotted parts than any plan needs; such are refused before they
/// are read, since each is a table within a table.
std::optional<std::size_t> line_of_deep_key(std::string_view text) {
  constexpr std::size_t most_parts = 64;
  std::size_t line = 1, dots = 0;
  char quote = '\0';
  bool multiline = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (c == '\n') {
      ++line;
      dots = 0;
      if (!multiline) quote = '\0';
    } else if (quote != '\0') {
      if (c == '\\' && quote == '"') ++i;
      const bool closes = c == quote && (!multiline || text.substr(i, 3) == std::string(3, quote));
      if (closes) {
        if (multiline) i += 2;
        quote = '\0';
        multiline = false;
      }
    } else if (c == '"' || c == '\'') {
      quote = c;
      multiline = text.substr(i, 3) == std::string(3, c);
      if (multiline) i += 2;
    } else if (c == '#') {
      i = std::min(text.find('\n', i), text.size()) - 1;
    } else if (c == '.' && ++dots > most_parts) {
      return line;
    } else if (c == '=' || c == ',' || c == '{') {
      dots = 0;
    }
  }
  return std::nullopt;
}

toml::table parse(const std::string& path) {
  std::error_code error;
  if (fs::is_directory(path, error)) fail_input("{}: is a directory; name the plan in it", path);
  std::ifstream file(path);
  if (!file) fail_input("{}: there is no such file, or it can't be read", path);
  std::stringstream stream;
  stream << file.rdbuf();
  const std::string text = stream.str();
  if (const auto line = line_of_deep_key(text)) {
    fail_usage("{}:{}: a key of more than 64 parts is none of a plan's", path, *line);
  }
  try {
    return toml::parse(text, path);
  } catch (const toml::parse_error& fault) {
    fail_usage("{}:{}: byte {} of the line: {}", path, fault.source().begin.line,
               fault.source().begin.column, shown(fault.description(), 400));
  }
}

/// The names of the files that `include` names: one, or a list.
std::vector<std::string> names_in(const toml::node& value, const std::string& place) {
  std::vector<std::string> names;
  const auto add = [&](const toml::node& node) {
    const auto* name = node.as_string();
    if (name == nullptr || name->get().empty()) {
      fail_usage("{}: include names a file, or a list of them: include = \"sources.toml\"", place);
    }
    names.push_back(name->get());
  };
  if (const auto* list = value.as_array()) {
    for (const auto& item : *list) add(item);
  } else {
    add(value);
  }
  return names;
}

/// Gathers a plan's files.
class Gathering {
 public:
  void add(const std::string& path, const std::string& place) {
    check(path, place);
    included_.push_back(path);
    open_.push_back(path);
    PlanFile file{path, parse(path)};
    for (const auto& [key, value] : file.keys) {
      if (key != "include") continue;
      const std::string at = fmt::format("{}:{}", path, key.source().begin.line);
      for (const auto& name : names_in(value, at)) {
        const fs::path folder = fs::path(path).parent_path();
        const bool fixed = folder.empty() || fs::path(name).is_absolute();
        add(fixed ? name : (folder / name).string(), at);
      }
    }
    open_.pop_back();
    files_.push_back(std::move(file));
  }

  std::vector<PlanFile> take() { return std::move(files_); }

 private:
  void check(const std::string& path, const std::string& place) const {
    constexpr std::size_t deepest = 64;
    std::error_code error;
    const auto is_it = [&](const std::string& other) { return fs::equivalent(path, other, error); };
    if (std::ranges::any_of(included_, is_it)) {
      fail_usage("{}: include {}: the file {}", place, shown(path),
                 std::ranges::any_of(open_, is_it) ? "includes itself" : "is included twice");
    }
    if (open_.size() > deepest) {
      fail_usage("{}: include {}: files lie too deep within one another", place, shown(path));
    }
  }

  std::vector<PlanFile> files_;
  std::vector<std::string> included_, open_;  // all so far; those that are being read
};

}  // namespace

std::vector<PlanFile> read_plan_files(const std::string& path) {
  Gathering gathering;
  gathering.add(path, path);
  return gathering.take();
}

}  // namespace zerobeat::detail
