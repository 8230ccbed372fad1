#include "io/text/json_array.hpp"

#include "io/text/json_shape.hpp"

namespace zerobeat::inline v1::detail {

namespace {

class Walker {
 public:
  Walker(std::string_view text, int deepest) : text_(text), deepest_(deepest) {}

  std::size_t length() { return value(1) ? at_ : 0; }

 private:
  char here() const { return at_ < text_.size() ? text_[at_] : '\0'; }
  bool take(char c) {
    if (at_ >= text_.size() || text_[at_] != c) return false;
    ++at_;
    return true;
  }
  void pass_spaces() {
    while (here() == ' ' || here() == '\t' || here() == '\r' || here() == '\n') ++at_;
  }

  bool value(int depth) {
    pass_spaces();
    switch (here()) {
      case '[':
        return depth <= deepest_ && several(']', [&] { return value(depth + 1); });
      case '{':
        return depth <= deepest_ && several('}', [&] {
                 pass_spaces();
                 if (!string()) return false;
                 pass_spaces();
                 return take(':') && value(depth + 1);
               });
      case '"':
        return string();
      default:
        return word();
    }
  }

  /// What stands between commas up to a closing bracket.
  template <typename One>
  bool several(char close, One&& one) {
    ++at_;
    pass_spaces();
    if (take(close)) return true;
    do {
      if (!one()) return false;
      pass_spaces();
    } while (take(','));
    return take(close);
  }

  bool string() {
    if (!take('"')) return false;
    while (at_ < text_.size()) {
      const char c = text_[at_++];
      if (c == '"') return true;
      if (static_cast<unsigned char>(c) < ' ') return false;
      if (c == '\\' && !escape()) return false;
    }
    return false;
  }

  bool escape() {
    const char c = here();
    ++at_;
    if (c != 'u')
      return c != '\0' && std::string_view("\"\\/bfnrt").find(c) != std::string_view::npos;
    for (int i = 0; i < 4; ++i, ++at_) {
      const char digit = here();
      const bool hex = (digit >= '0' && digit <= '9') || (digit >= 'a' && digit <= 'f') ||
                       (digit >= 'A' && digit <= 'F');
      if (!hex) return false;
    }
    return true;
  }

  /// A number, true, false or null.
  bool word() {
    const std::size_t from = at_;
    const std::string_view ends = ",]} \t\r\n";
    while (at_ < text_.size() && ends.find(text_[at_]) == std::string_view::npos) ++at_;
    const std::string_view word = text_.substr(from, at_ - from);
    return word == "true" || word == "false" || word == "null" || is_json_number(word);
  }

  std::string_view text_;
  int deepest_;
  std::size_t at_ = 0;
};

}  // namespace

std::size_t json_array_length(std::string_view text, int deepest) {
  if (!text.starts_with('[')) return 0;
  return Walker(text, deepest).length();
}

}  // namespace zerobeat::detail
