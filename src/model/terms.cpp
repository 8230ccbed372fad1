#include <zerobeat/base/text.hpp>
#include <zerobeat/model/regress.hpp>

#include "base/trim.hpp"
#include "expression/syntax.hpp"

namespace zerobeat::inline v1 {

namespace {

bool is_name(std::string_view text) {
  if (text.empty() || (text.front() >= '0' && text.front() <= '9')) return false;
  for (const char c : text) {
    const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
    if (!letter && c != '_') return false;
  }
  return true;
}

bool is_quoted(std::string_view text) {
  if (text.size() < 3 || text.front() != '"' || text.back() != '"') return false;
  for (std::size_t i = 1; i + 1 < text.size(); ++i) {
    if (text[i] != '"') continue;
    if (i + 2 >= text.size() || text[i + 1] != '"') return false;
    ++i;
  }
  return true;
}

std::string without_quotes(std::string_view text) {
  if (!is_quoted(text)) return std::string(text);
  std::string name;
  for (std::size_t i = 1; i + 1 < text.size(); ++i) {
    name += text[i];
    if (text[i] == '"') ++i;
  }
  return name;
}

/// Where a name ends that the text gives its expression; npos: it gives none.
std::size_t end_of_name(std::string_view text) {
  const std::size_t equals = detail::find_outside(text, '=');
  if (equals == std::string_view::npos) return equals;
  const std::string_view name = detail::trim(text.substr(0, equals));
  return is_name(name) || is_quoted(name) ? equals : std::string_view::npos;
}

}  // namespace

Term::Term(std::string_view text) {
  const std::size_t equals = end_of_name(text);
  std::string_view expression = detail::trim(text);
  if (equals != std::string_view::npos) {
    name = without_quotes(detail::trim(text.substr(0, equals)));
    expression = detail::trim(text.substr(equals + 1));
  }
  if (expression.empty()) fail_usage("\"{}\": a term has no expression", shown(text));
  value = Expression(std::string(expression));
  if (name.empty()) name = without_quotes(expression);
}

void from_text(std::string_view text, std::vector<Term>& out) {
  std::vector<Term> read;
  for (std::size_t from = 0; from <= text.size();) {
    const std::size_t comma = std::min(detail::find_outside(text, ',', from), text.size());
    read.emplace_back(text.substr(from, comma - from));
    from = comma + 1;
  }
  out = std::move(read);
}

std::string to_text(const std::vector<Term>& terms) {
  std::string text;
  for (const Term& term : terms) {
    if (!text.empty()) text += ',';
    if (term.name != without_quotes(term.value.text())) {
      text += to_text(Assignment{term.name, term.value});
    } else {
      text += term.value.text();
    }
  }
  return text;
}

}  // namespace zerobeat
