#include <charconv>
#include <cmath>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>

#include "base/trim.hpp"

namespace zerobeat {

namespace {

template <typename Number>
bool whole_text_is_number(std::string_view text, Number& out) {
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), out);
  return error == std::errc() && end == text.data() + text.size();
}

}  // namespace

std::vector<std::string> split_commas(std::string_view text) {
  std::vector<std::string> parts;
  if (detail::trim(text).empty()) return parts;
  int depth = 0;
  std::size_t from = 0;
  for (std::size_t i = 0; i <= text.size(); ++i) {
    if (i < text.size() && text[i] == '(') ++depth;
    if (i < text.size() && text[i] == ')') --depth;
    if (i == text.size() || (text[i] == ',' && depth == 0)) {
      parts.emplace_back(detail::trim(text.substr(from, i - from)));
      from = i + 1;
    }
  }
  return parts;
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

void from_text(std::string_view text, std::vector<std::string>& out) { out = split_commas(text); }

std::string to_text(bool value) { return value ? "true" : "false"; }
std::string to_text(std::int64_t value) { return fmt::format("{}", value); }
std::string to_text(int value) { return fmt::format("{}", value); }
std::string to_text(double value) { return fmt::format("{}", value); }
std::string to_text(char value) { return value == '\t' ? "tab" : std::string(1, value); }
std::string to_text(const std::string& value) { return value; }

std::string to_text(const std::vector<std::string>& value) {
  return fmt::format("{}", fmt::join(value, ","));
}

}  // namespace zerobeat
