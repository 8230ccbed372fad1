#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <optional>
#include <zerobeat/base/text.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/trim.hpp"
#include "expression/syntax.hpp"

namespace zerobeat::inline v1 {

namespace detail {

namespace {

constexpr std::size_t deepest_nesting = 200;
constexpr std::size_t deepest_tree = 1'000;

bool is_space(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }
bool is_digit(char c) { return c >= '0' && c <= '9'; }
bool starts_name(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' ||
         static_cast<unsigned char>(c) >= 0x80;
}
bool continues_name(char c) { return starts_name(c) || is_digit(c) || c == '.'; }

/// Signs that people write, and what they mean here.
constexpr std::array<std::pair<std::string_view, std::string_view>, 8> other_signs{{{"==", "="},
                                                                                    {"<>", "!="},
                                                                                    {"&&", "and"},
                                                                                    {"||", "or"},
                                                                                    {"**", "^"},
                                                                                    {"&", "and"},
                                                                                    {"|", "or"},
                                                                                    {"!", "not"}}};

class Parser {
 public:
  explicit Parser(std::string_view text) : text_(text) {}

  Node parse() {
    Node all = alternatives();
    pass_spaces();
    if (at_ < text_.size()) {
      refuse_other_sign();
      if (text_[at_] == ')') fail("this bracket closes nothing");
      if (starts_name(text_[at_]) || is_digit(text_[at_]) || text_[at_] == '(' ||
          text_[at_] == '"' || text_[at_] == '\'') {
        fail("a sign or word is missing before this, like + or and");
      }
      if (text_[at_] == ',') fail("a comma stands only between what a function is given");
      fail("this is no sign of an expression");
    }
    return all;
  }

 private:
  [[noreturn]] void fail(const std::string& what) const { fail_at(text_, at_, what); }
  [[noreturn]] void fail(std::size_t at, const std::string& what) const {
    fail_at(text_, at, what);
  }

  void pass_spaces() {
    while (at_ < text_.size() && is_space(text_[at_])) ++at_;
  }

  void refuse_other_sign() const {
    const std::string_view rest = text_.substr(at_);
    for (const auto& [sign, meant] : other_signs) {
      if (rest.starts_with(sign)) fail(fmt::format("{} is written {}", sign, meant));
    }
  }

  bool take(std::string_view sign) {
    pass_spaces();
    if (!text_.substr(at_).starts_with(sign)) return false;
    at_ += sign.size();
    return true;
  }

  std::string_view word_here() {
    pass_spaces();
    std::size_t end = at_;
    if (end < text_.size() && starts_name(text_[end])) {
      while (end < text_.size() && continues_name(text_[end])) ++end;
    }
    return text_.substr(at_, end - at_);
  }

  bool take_word(std::string_view word) {
    if (word_here() != word) return false;
    at_ += word.size();
    return true;
  }

  Node made(Op op, std::size_t at, std::vector<Node> args) const {
    Node node;
    node.op = op;
    node.at = at;
    node.args = std::move(args);
    for (const Node& arg : node.args) node.depth = std::max(node.depth, arg.depth + 1);
    if (node.depth > deepest_tree) {
      fail(at, fmt::format("more than {} steps hang on one another here; compute parts of it first",
                           deepest_tree));
    }
    return node;
  }

  Node pair(Op op, std::size_t at, Node a, Node b) const {
    std::vector<Node> args;
    args.push_back(std::move(a));
    args.push_back(std::move(b));
    return made(op, at, std::move(args));
  }

  Node single(Op op, std::size_t at, Node a) const {
    std::vector<Node> args;
    args.push_back(std::move(a));
    return made(op, at, std::move(args));
  }

  struct Nesting {
    explicit Nesting(Parser& parser) : own(parser) {
      if (++own.nesting_ > deepest_nesting) {
        own.fail(fmt::format("more than {} brackets and signs are open here", deepest_nesting));
      }
    }
    ~Nesting() { --own.nesting_; }
    Nesting(const Nesting&) = delete;
    Nesting& operator=(const Nesting&) = delete;
    Parser& own;
  };

  Node alternatives() {
    const Nesting nesting(*this);
    Node all = conjunction();
    for (;;) {
      pass_spaces();
      const std::size_t at = at_;
      if (!take_word("or")) return all;
      all = pair(Op::either, at, std::move(all), conjunction());
    }
  }

  Node conjunction() {
    Node all = negation();
    for (;;) {
      pass_spaces();
      const std::size_t at = at_;
      if (!take_word("and")) return all;
      all = pair(Op::both, at, std::move(all), negation());
    }
  }

  Node negation() {
    pass_spaces();
    const std::size_t at = at_;
    if (!take_word("not")) return comparison();
    const Nesting nesting(*this);
    return single(Op::inverse, at, negation());
  }

  std::optional<Op> comparison_sign() {
    static constexpr std::array<std::pair<std::string_view, Op>, 6> signs{{{"!=", Op::unequal},
                                                                           {"<=", Op::at_most},
                                                                           {">=", Op::at_least},
                                                                           {"=", Op::equal},
                                                                           {"<", Op::less},
                                                                           {">", Op::more}}};
    pass_spaces();
    const std::string_view rest = text_.substr(at_);
    if (rest.starts_with("==") || rest.starts_with("<>")) refuse_other_sign();
    for (const auto& [sign, op] : signs) {
      if (take(sign)) return op;
    }
    return std::nullopt;
  }

  Node comparison() {
    Node left = sum();
    pass_spaces();
    const std::size_t at = at_;
    const auto op = comparison_sign();
    if (!op) return left;
    Node both = pair(*op, at, std::move(left), sum());
    pass_spaces();
    const std::size_t again = at_;
    if (comparison_sign()) {
      fail(again, "a comparison is of two; write a < b and b < c");
    }
    return both;
  }

  Node sum() {
    Node all = product();
    for (;;) {
      pass_spaces();
      const std::size_t at = at_;
      if (take("+")) {
        all = pair(Op::add, at, std::move(all), product());
      } else if (take("-")) {
        all = pair(Op::subtract, at, std::move(all), product());
      } else {
        return all;
      }
    }
  }

  Node product() {
    Node all = signed_factor();
    for (;;) {
      pass_spaces();
      const std::size_t at = at_;
      if (text_.substr(at_).starts_with("**")) refuse_other_sign();
      if (take("*")) {
        all = pair(Op::multiply, at, std::move(all), signed_factor());
      } else if (take("/")) {
        all = pair(Op::divide, at, std::move(all), signed_factor());
      } else {
        return all;
      }
    }
  }

  Node signed_factor() {
    pass_spaces();
    const std::size_t at = at_;
    if (take("-")) {
      const Nesting nesting(*this);
      return single(Op::negate, at, signed_factor());
    }
    if (take("+")) {
      const Nesting nesting(*this);
      return signed_factor();
    }
    Node base = primary();
    pass_spaces();
    const std::size_t power_at = at_;
    if (!take("^")) return base;
    const Nesting nesting(*this);
    return pair(Op::power, power_at, std::move(base), signed_factor());
  }

  Node primary() {
    pass_spaces();
    if (at_ >= text_.size()) fail("the expression ends here; a number, column or text is missing");
    const std::size_t at = at_;
    const char c = text_[at_];
    if (c == '(') {
      ++at_;
      Node inner = alternatives();
      if (!take(")")) fail(at, "this bracket is not closed");
      return inner;
    }
    if (c == '\'') return literal_text();
    if (c == '"') {
      Node node = made(Op::column, at, {});
      node.text = quoted('"');
      if (node.text.empty()) fail(at, "these quotes name no column");
      return moment_of(std::move(node));
    }
    if (is_digit(c) || (c == '.' && at_ + 1 < text_.size() && is_digit(text_[at_ + 1]))) {
      return literal_number();
    }
    const std::string_view word = word_here();
    if (word.empty()) {
      refuse_other_sign();
      fail("a number, column or text is missing here");
    }
    if (word == "and" || word == "or" || word == "not") {
      fail(
          fmt::format("a number, column or text is missing before {}; a column of that name stands "
                      "in double quotes",
                      word));
    }
    at_ += word.size();
    const std::size_t after = at_;
    if (take("(")) return call(word, at);
    at_ = after;
    if (word == "true" || word == "false") {
      Node node = made(Op::truth, at, {});
      node.number = word == "true" ? 1 : 0;
      return node;
    }
    Node node = made(Op::column, at, {});
    node.text = word;
    return moment_of(std::move(node));
  }

  Node call(std::string_view word, std::size_t at) {
    const auto known = std::ranges::find(functions, word, &FunctionRow::word);
    if (known == functions.end()) {
      std::vector<std::string> words;
      for (const FunctionRow& row : functions) words.emplace_back(row.word);
      static constexpr Synonym synonyms[] = {
          {"ln", "log"},       {"power", "^"},           {"pow", "^"},
          {"isnull", "known"}, {"isnan", "known"},       {"iif", "if"},
          {"ceiling", "ceil"}, {"dayofweek", "weekday"}, {"dayofyear", "yearday"}};
      fail(at, fmt::format("there is no function {}{}", shown(word),
                           did_you_mean(word, words, synonyms)));
    }
    std::vector<Node> args;
    if (!take(")")) {
      do {
        args.push_back(alternatives());
      } while (take(","));
      if (!take(")")) {
        pass_spaces();
        if (at_ >= text_.size()) fail(at, "the bracket of this function is not closed");
        refuse_other_sign();
        fail("a comma or the closing bracket is missing before this");
      }
    }
    if (args.size() < known->least || args.size() > known->most) {
      fail(at, fmt::format("{} is written {}({})", word, word, known->takes));
    }
    Node node = made(Op::call, at, std::move(args));
    node.function = known->function;
    return node;
  }

  /// What follows a column: nothing, or @ and a time.
  Node moment_of(Node column) {
    const std::size_t before = at_;
    if (!take("@")) {
      at_ = before;
      return column;
    }
    pass_spaces();
    const std::size_t at = at_;
    if (take_word("first")) {
      column.op = Op::at_first;
      return column;
    }
    if (take_word("last")) {
      column.op = Op::at_last;
      return column;
    }
    column.op = Op::at_time;
    if (at_ < text_.size() && text_[at_] == '\'') {
      column.moment = quoted('\'');
      if (!is_moment(column.moment)) not_a_time(at, column.moment);
      return column;
    }
    // All that could belong to a time is one: x@2025-13-01 is a mistake, and no subtraction.
    std::size_t end = at_;
    while (end < text_.size() && (continues_name(text_[end]) || text_[end] == '-' ||
                                  text_[end] == '+' || text_[end] == ':')) {
      ++end;
    }
    const std::string_view piece = text_.substr(at_, end - at_);
    if (!is_moment(piece)) not_a_time(at, piece);
    column.moment = piece;
    at_ = end;
    return column;
  }

  [[noreturn]] void not_a_time(std::size_t at, std::string_view text) const {
    fail(at, fmt::format("\"{}\" is not a time; after @ stands first, last, or a time like 2025-01 "
                         "or '2025-01-05 10:00', and a sign after it behind a space",
                         shown(text)));
  }

  /// A time, or on an elapsed axis a number.
  static bool is_moment(std::string_view text) {
    double number = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
    if (error == std::errc() && end == text.data() + text.size()) return true;
    try {
      static_cast<void>(read_instant(text, Zone()));
      return true;
    } catch (const Error&) {
      return false;
    }
  }

  Node literal_number() {
    const std::size_t at = at_;
    double number = 0;
    const auto [end, error] =
        std::from_chars(text_.data() + at_, text_.data() + text_.size(), number);
    at_ = static_cast<std::size_t>(end - text_.data());
    if (error != std::errc()) fail(at, "this number can't be held; it goes to 1.8e308");
    if (at_ < text_.size() && starts_name(text_[at_])) {
      fail(
          "a sign is missing between number and name, like *; a name that begins with a digit "
          "stands in double quotes");
    }
    Node node = made(Op::number, at, {});
    node.number = number;
    return node;
  }

  Node literal_text() {
    Node node = made(Op::text, at_, {});
    node.text = quoted('\'');
    return node;
  }

  /// What stands in quotes; the quote itself is doubled in it.
  std::string quoted(char quote) {
    const std::size_t start = at_++;
    std::string out;
    for (;; ++at_) {
      if (at_ >= text_.size()) fail(start, "this quote is not closed");
      if (text_[at_] == quote) {
        if (at_ + 1 >= text_.size() || text_[at_ + 1] != quote) break;
        ++at_;
      }
      out += text_[at_];
    }
    ++at_;
    return out;
  }

  std::string_view text_;
  std::size_t at_ = 0;
  std::size_t nesting_ = 0;
};

}  // namespace

void fail_at(std::string_view text, std::size_t at, const std::string& what) {
  // A window of the text, a character a place, so that the caret stands under its own.
  constexpr std::size_t before = 50, width = 70;
  std::vector<std::string> characters;
  std::size_t caret = 0;
  for (std::size_t i = 0; i < text.size();) {
    if (i <= at) caret = characters.size();
    const std::size_t length = utf8_length(text.substr(i));
    std::string word = length == 0 ? "\xef\xbf\xbd" : std::string(text.substr(i, length));
    if (length > 0 && is_unprintable(utf8_code(word))) word = " ";
    characters.push_back(std::move(word));
    i += std::max<std::size_t>(1, length);
  }
  if (at >= text.size()) caret = characters.size();
  const std::size_t from = caret > before ? caret - before : 0;
  const std::size_t until = std::min(characters.size(), from + width);
  std::string line = from > 0 ? "…" : "";
  for (std::size_t i = from; i < until; ++i) line += characters[i];
  if (until < characters.size()) line += "…";
  fail_usage("{}\n  {}\n  {}^", what, line, std::string(caret - from + (from > 0), ' '));
}

bool is_word(std::string_view name) {
  constexpr std::array<std::string_view, 5> array{"and", "or", "not", "true", "false"};
  return !name.empty() && starts_name(name.front()) && std::ranges::all_of(name, continues_name) &&
         std::ranges::find(array, name) == array.end();
}

Node parse_expression(std::string_view text) {
  if (trim(text).empty()) fail_usage("there is no expression");
  return Parser(text).parse();
}

std::size_t find_outside(std::string_view text, char wanted, std::size_t from) {
  std::size_t open = 0;
  char quote = '\0';
  for (std::size_t i = from; i < text.size(); ++i) {
    const char c = text[i];
    if (quote != '\0') {
      if (c == quote) quote = '\0';
    } else if (c == wanted && open == 0) {
      return i;
    } else if (c == '"' || c == '\'') {
      quote = c;
    } else if (c == '(') {
      ++open;
    } else if (c == ')' && open > 0) {
      --open;
    }
  }
  return std::string_view::npos;
}

namespace {

void gather_names(const Node& node, std::vector<std::string>& names) {
  const bool is_column = node.op == Op::column || node.op == Op::at_time ||
                         node.op == Op::at_first || node.op == Op::at_last;
  if (is_column && std::ranges::find(names, node.text) == names.end()) names.push_back(node.text);
  for (const Node& arg : node.args) gather_names(arg, names);
}

void gather_reach(const Node& node, Reach& reach) {
  const bool back = node.op == Op::at_time || node.op == Op::at_first || node.op == Op::at_last ||
                    (node.op == Op::call &&
                     (node.function == Function::elapsed || node.function == Function::row));
  if (back) reach.back = ReachSide::whole();
  if (node.op == Op::at_time || node.op == Op::at_last) reach.ahead = ReachSide::whole();
  // Before its first reading a row knows of the strand's first one, too.
  if (node.op == Op::at_first) reach.ahead = ReachSide::whole();
  for (const Node& arg : node.args) gather_reach(arg, reach);
}

}  // namespace

}  // namespace detail

Expression::Expression(std::string text)
    : text_(std::move(text)),
      tree_(std::make_shared<const detail::Node>(detail::parse_expression(text_))) {}

std::vector<std::string> Expression::columns() const {
  std::vector<std::string> names;
  if (tree_) detail::gather_names(*tree_, names);
  return names;
}

Reach Expression::reach() const {
  Reach reach;
  if (tree_) detail::gather_reach(*tree_, reach);
  return reach;
}

void from_text(std::string_view text, Expression& out) { out = Expression(std::string(text)); }

void from_text(std::string_view text, Assignment& out) {
  const std::size_t equals = detail::find_outside(text, '=');
  const std::string_view name =
      detail::trim(text.substr(0, equals == std::string_view::npos ? 0 : equals));
  if (name.empty()) {
    fail_usage("\"{}\" has no name before =; write it like level_ft=level_m*3.2808", shown(text));
  }
  Assignment read;
  read.name = name;
  if (name.front() == '"') {
    if (name.size() < 3 || name.back() != '"') {
      fail_usage("{}: the quote of the name does not close", shown(name));
    }
    read.name.clear();
    for (std::size_t i = 1; i + 1 < name.size(); ++i) {
      read.name += name[i];
      if (name[i] == '"') ++i;
    }
  }
  const std::string_view value = detail::trim(text.substr(equals + 1));
  if (value.empty()) fail_usage("{}= is given no value", shown(name));
  from_text(value, read.value);
  out = std::move(read);
}

std::string to_text(const Assignment& assignment) {
  const bool plain =
      !assignment.name.empty() && assignment.name.find_first_of("=\"'(), ") == std::string::npos;
  if (plain) return assignment.name + "=" + assignment.value.text();
  std::string name = "\"";
  for (const char c : assignment.name) name += c == '"' ? "\"\"" : std::string(1, c);
  return name + "\"=" + assignment.value.text();
}

void from_text(std::string_view text, std::vector<Assignment>& out) {
  std::vector<Assignment> read;
  for (std::size_t from = 0; from <= text.size();) {
    const std::size_t comma = std::min(detail::find_outside(text, ',', from), text.size());
    from_text(text.substr(from, comma - from), read.emplace_back());
    from = comma + 1;
  }
  out = std::move(read);
}

std::string to_text(const std::vector<Assignment>& all) {
  std::string text;
  for (const Assignment& assignment : all) text += (text.empty() ? "" : ",") + to_text(assignment);
  return text;
}

}  // namespace zerobeat
