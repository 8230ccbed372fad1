#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1 {

namespace {

constexpr std::string_view opening = "‹", closing = "›";

/// Whether what stands before a colon says where something was.
bool is_place(std::string_view text) {
  if (text.empty() || text.find('"') != std::string_view::npos) return false;
  if (text.find(' ') == std::string_view::npos) return true;
  constexpr std::array<std::string_view, 6> words{"line ",   "byte ",   "row ",
                                                  "series ", "output ", "source "};
  return std::ranges::any_of(words, [&](std::string_view word) { return text.starts_with(word); });
}

/// The places that `line` begins with, without the colon after the last.
std::string_view place_at_start(std::string_view line) {
  std::size_t end = 0;
  for (std::size_t begin = 0;;) {
    const std::size_t colon = line.find(": ", begin);
    if (colon == std::string_view::npos || !is_place(line.substr(begin, colon - begin))) break;
    end = colon;
    begin = colon + 2;
  }
  return line.substr(0, end);
}

/// The first double-quoted thing in `line`.
std::string_view first_quoted(std::string_view line) {
  const std::size_t quote = line.find('"');
  if (quote == std::string_view::npos) return {};
  const std::size_t last = line.find('"', quote + 1);
  return last == std::string_view::npos ? std::string_view()
                                        : line.substr(quote + 1, last - quote - 1);
}

/// What follows the last semicolon of `line` from `begin` on.
std::string_view remedy_after(std::string_view line, std::size_t begin) {
  const std::size_t at = line.substr(begin).rfind("; ");
  return at == std::string_view::npos ? std::string_view() : line.substr(begin + at + 2);
}

/// `‹option› value: ` at the start of a text or of a format: where the parts end.
struct Head {
  std::size_t option_end = 0;  ///< after the closing mark; 0: no option leads
  std::size_t value_end = 0;   ///< at the colon; 0: no value
};

Head head_of(std::string_view text) {
  if (!text.starts_with(opening)) return {};
  const std::size_t end = text.find(closing);
  if (end == std::string_view::npos) return {};
  Head head{end + closing.size(), 0};
  const std::string_view rest = text.substr(head.option_end);
  const std::size_t colon = rest.find(": ");
  if (rest.starts_with(" ") && colon != std::string_view::npos && colon > 1 &&
      rest.substr(0, colon).find(opening) == std::string_view::npos) {
    head.value_end = head.option_end + colon;
  }
  return head;
}

/// The parts of a message of which only the text is known.
Error::Parts parts_of(std::string_view message) {
  const std::string_view line = message.substr(0, message.find('\n'));
  const std::string_view place = place_at_start(line);
  const std::string_view rest = line.substr(place.empty() ? 0 : place.size() + 2);
  const Head head = head_of(rest);
  Error::Parts parts{std::string(place), {}, {}, std::string(remedy_after(rest, head.value_end))};
  if (head.option_end == 0) {
    parts.value = first_quoted(line);
    return parts;
  }
  parts.option = rest.substr(opening.size(), head.option_end - closing.size() - opening.size());
  if (head.value_end > 0) {
    parts.value = rest.substr(head.option_end + 1, head.value_end - head.option_end - 1);
  }
  return parts;
}

/// `format` with the place of each argument written out, so that a piece of it can be formatted.
std::string numbered(std::string_view format) {
  std::string out;
  int argument = 0;
  for (std::size_t i = 0; i < format.size(); ++i) {
    out += format[i];
    if (format[i] != '{' || i + 1 == format.size()) continue;
    const char next = format[i + 1];
    if (next == '{') {
      out += format[++i];
    } else if (next == '}' || next == ':') {
      out += fmt::format("{}", argument++);
    }
  }
  return out;
}

}  // namespace

namespace detail {

Error formatted_error(Error::Kind kind, fmt::string_view format, fmt::format_args arguments) {
  const std::string message = fmt::vformat(format, arguments);
  const std::string pieces = numbered({format.data(), format.size()});
  const Head head = head_of(pieces);
  if (head.value_end == 0) return Error(kind, message);
  const auto piece = [&](std::size_t begin, std::size_t end) {
    return fmt::vformat(std::string_view(pieces).substr(begin, end - begin), arguments);
  };
  Error::Parts parts;
  parts.option = piece(opening.size(), head.option_end - closing.size());
  parts.value = piece(head.option_end + 1, head.value_end);
  const std::size_t semicolon = pieces.rfind("; ");
  const bool stated = semicolon != std::string::npos && semicolon > head.value_end;
  parts.remedy = stated ? piece(semicolon + 2, pieces.size())
                        : std::string(remedy_after(
                              std::string_view(message).substr(0, message.find('\n')),
                              std::min(piece(0, head.value_end).size(), message.find('\n'))));
  return Error(kind, message, std::move(parts));
}

}  // namespace detail

Error::Error(Kind kind, const std::string& what) : Error(kind, what, parts_of(what)) {}

Error::Error(Kind kind, const std::string& what, Parts parts)
    : std::runtime_error(what),
      kind_(kind),
      parts_(std::make_shared<const Parts>(std::move(parts))) {}

Error Error::at(std::string_view place) const {
  Parts parts = *parts_;
  parts.place =
      parts.place.empty() ? std::string(place) : fmt::format("{}: {}", place, parts.place);
  return Error(kind_, fmt::format("{}: {}", place, what()), std::move(parts));
}

std::size_t edit_distance(std::string_view a, std::string_view b) {
  const auto lower = [](char c) { return std::tolower(static_cast<unsigned char>(c)); };
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = i;
  for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t change = lower(a[i - 1]) == lower(b[j - 1]) ? 0 : 1;
      d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, d[i - 1][j - 1] + change});
      const bool swapped = i > 1 && j > 1 && lower(a[i - 1]) == lower(b[j - 2]) &&
                           lower(a[i - 2]) == lower(b[j - 1]);
      if (swapped) d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  }
  return d[a.size()][b.size()];
}

namespace {

/// Whether `word` is `candidate` with letters left out: the commonest slip of all.
bool is_part_of(std::string_view word, std::string_view candidate) {
  std::size_t at = 0;
  for (const char c : candidate) at += at < word.size() && word[at] == c;
  return at == word.size();
}

}  // namespace

std::string nearest(std::string_view word, std::span<const std::string> candidates) {
  constexpr std::size_t longest_word = 200;  // beyond it, a typing slip is not the matter
  if (word.size() > longest_word) return {};
  std::string best;
  // A slip in a short word, more in a longer one, or letters that were left out or put in.
  const std::size_t slips = std::max<std::size_t>(1, (word.size() + 1) / 4);
  std::size_t best_distance = std::max<std::size_t>(2, word.size() / 3) + 1;
  for (const auto& candidate : candidates) {
    if (candidate.size() > longest_word) continue;
    const std::size_t distance = edit_distance(word, candidate);
    const bool is_slip =
        distance <= slips || is_part_of(word, candidate) || is_part_of(candidate, word);
    const bool nearer = (is_slip && distance < best_distance) ||
                        (distance == best_distance && !best.empty() &&
                         is_part_of(word, candidate) && !is_part_of(word, best));
    if (nearer && distance < candidate.size()) {
      best = candidate;
      best_distance = distance;
    }
  }
  return best;
}

std::string did_you_mean(std::string_view word, std::span<const std::string> candidates,
                         std::span<const Synonym> synonyms) {
  for (const Synonym& known : synonyms) {
    if (known.word == word) return fmt::format("; did you mean {}?", known.meant);
  }
  constexpr std::size_t shortest = 3;  // anything is near to a letter or two
  const std::string near = nearest(word, candidates);
  if (!near.empty() && (word.size() >= shortest || edit_distance(word, near) < word.size())) {
    return fmt::format("; did you mean {}?", near);
  }
  if (candidates.empty()) return {};
  // All of a short list; of a long one, what a line or two hold.
  constexpr std::size_t most = 300;
  std::string list;
  std::size_t listed = 0;
  for (; listed < candidates.size() && list.size() < most; ++listed) {
    list += (listed == 0 ? "" : ", ") + shown(candidates[listed]);
  }
  if (listed < candidates.size()) list += fmt::format(" and {} more", candidates.size() - listed);
  return fmt::format("; there is {}", list);
}

}  // namespace zerobeat
