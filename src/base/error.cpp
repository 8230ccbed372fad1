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

/// The parts of a message's first line; each empty where it is absent.
struct Parts {
  std::string_view place, option, value, remedy;
};

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

Parts parts_of(std::string_view message) {
  const std::string_view line = message.substr(0, message.find('\n'));
  Parts parts;
  if (const std::size_t at = line.rfind("; "); at != std::string_view::npos) {
    parts.remedy = line.substr(at + 2);
  }
  const std::size_t mark = line.find(opening);
  const std::size_t end = line.find(closing, mark);
  parts.place = place_at_start(line);
  const std::size_t begin = parts.place.empty() ? 0 : parts.place.size() + 2;
  const bool leads = mark == begin && end != std::string_view::npos;
  if (leads) {
    parts.option = line.substr(mark + opening.size(), end - mark - opening.size());
    const std::string_view rest = line.substr(end + closing.size());
    const std::size_t colon = rest.find(": ");
    const bool has_value = rest.starts_with(" ") && colon != std::string_view::npos &&
                           rest.substr(0, colon).find(opening) == std::string_view::npos;
    if (has_value) parts.value = rest.substr(1, colon - 1);
    return parts;
  }
  const std::size_t quote = line.find('"');
  const std::size_t last = line.find('"', quote == std::string_view::npos ? quote : quote + 1);
  if (last != std::string_view::npos) parts.value = line.substr(quote + 1, last - quote - 1);
  return parts;
}

}  // namespace

std::string Error::option() const { return std::string(parts_of(what()).option); }
std::string Error::value() const { return std::string(parts_of(what()).value); }
std::string Error::place() const { return std::string(parts_of(what()).place); }
std::string Error::remedy() const { return std::string(parts_of(what()).remedy); }

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
  std::size_t best_distance = std::max<std::size_t>(2, word.size() / 3) + 1;
  for (const auto& candidate : candidates) {
    if (candidate.size() > longest_word) continue;
    const std::size_t distance = edit_distance(word, candidate);
    const bool nearer =
        distance < best_distance || (distance == best_distance && !best.empty() &&
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
