#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>

#include "base/names.hpp"
#include "base/trim.hpp"

namespace zerobeat::inline v1 {

namespace {

template <typename Number>
bool whole_text_is_number(std::string_view text, Number& out) {
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
  return error == std::errc() && end == text.data() + text.size();
}

}  // namespace

namespace detail {

std::size_t end_of_quotes(std::string_view text, std::size_t at) {
  for (std::size_t i = at + 1; i < text.size(); ++i) {
    if (text[i] != '"') continue;
    if (i + 1 == text.size() || text[i + 1] != '"') return i + 1;
    ++i;
  }
  fail_usage("{}: the quote that begins here is not closed; a quote within a name is written \"\"",
             shown(text.substr(at)));
}

std::string unquoted(std::string_view text) {
  if (!text.starts_with('"')) return std::string(text);
  if (end_of_quotes(text, 0) != text.size()) {
    fail_usage("{}: after the closing quote nothing more belongs to the name", shown(text));
  }
  std::string name;
  for (std::size_t i = 1; i + 1 < text.size(); ++i) {
    name += text[i];
    if (text[i] == '"') ++i;
  }
  return name;
}

std::string quoted_where_needed(std::string_view name, std::string_view marks) {
  const bool plain = !name.empty() && !name.starts_with('"') && trim(name) == name &&
                     name.find_first_of(marks) == std::string_view::npos;
  if (plain) return std::string(name);
  std::string out = "\"";
  for (const char c : name) out += c == '"' ? "\"\"" : std::string(1, c);
  return out + '"';
}

std::vector<std::string_view> split_outside_quotes(std::string_view text, char separator) {
  std::vector<std::string_view> parts;
  int depth = 0;
  std::size_t from = 0;
  bool may_quote = true;  // where a name can begin; elsewhere a quote is a letter
  for (std::size_t i = 0; i <= text.size();) {
    if (i == text.size() || (text[i] == separator && depth == 0)) {
      parts.push_back(trim(text.substr(from, i - from)));
      from = ++i;
      may_quote = true;
      continue;
    }
    const char c = text[i];
    if (c == '"' && may_quote) {
      i = end_of_quotes(text, i);
      may_quote = false;
      continue;
    }
    if (c == '(') ++depth;
    if (c == ')') --depth;
    if (c != ' ' && c != '\t') may_quote = c == '(' || c == ',' || c == '=' || c == ':';
    ++i;
  }
  return parts;
}

}  // namespace detail

std::vector<std::string> split_commas(std::string_view text) {
  if (detail::trim(text).empty()) return {};
  const auto parts = detail::split_outside_quotes(text, ',');
  return {parts.begin(), parts.end()};
}

std::vector<std::string> split_names(std::string_view text, char separator) {
  std::vector<std::string> names;
  if (detail::trim(text).empty()) return names;
  for (const auto part : detail::split_outside_quotes(text, separator)) {
    names.push_back(detail::unquoted(part));
  }
  return names;
}

void from_text(std::string_view text, bool& out) {
  if (text == "true" || text == "yes" || text.empty()) {
    out = true;
  } else if (text == "false" || text == "no") {
    out = false;
  } else {
    fail_usage("\"{}\" is neither true nor false", text);
  }
}

void from_text(std::string_view text, std::int64_t& out) {
  if (!whole_text_is_number(text, out)) fail_usage("\"{}\" is not a whole number", text);
}

void from_text(std::string_view text, int& out) {
  if (!whole_text_is_number(text, out)) fail_usage("\"{}\" is not a whole number", text);
}

void from_text(std::string_view text, double& out) {
  if (!whole_text_is_number(text, out) || !std::isfinite(out)) {
    fail_usage("\"{}\" is not a number", text);
  }
}

void from_text(std::string_view text, char& out) {
  if (text == "tab" || text == "\\t") {
    out = '\t';
  } else if (text.size() == 1) {
    out = text[0];
  } else {
    fail_usage("\"{}\" is not one character (or tab)", text);
  }
}

void from_text(std::string_view text, std::string& out) { out = text; }

namespace {

std::string path_from(std::string_view text) {
  if (text.empty()) fail_usage("a file has a name; - is standard input or output");
  if (text.find('\0') != std::string_view::npos) {
    fail_usage("\"{}\" holds a NUL, which no file's name can", shown(text));
  }
  return std::string(text);
}

}  // namespace

void from_text(std::string_view text, InFile& out) { out.path = path_from(text); }
void from_text(std::string_view text, OutFile& out) { out.path = path_from(text); }
std::string to_text(const InFile& file) { return file.path; }
std::string to_text(const OutFile& file) { return file.path; }

void from_text(std::string_view text, std::vector<std::string>& out) { out = split_names(text); }

std::string to_text(bool value) { return value ? "true" : "false"; }
std::string to_text(std::int64_t value) { return fmt::format("{}", value); }
std::string to_text(int value) { return fmt::format("{}", value); }
std::string to_text(double value) { return fmt::format("{}", value); }
std::string to_text(char value) { return value == '\t' ? "tab" : std::string(1, value); }
std::string to_text(const std::string& value) { return value; }

std::string to_text(const std::vector<std::string>& value) {
  std::string text;
  for (const auto& name : value) {
    if (!text.empty()) text += ',';
    text += detail::quoted_where_needed(name, ",()");
  }
  return text;
}

}  // namespace zerobeat
