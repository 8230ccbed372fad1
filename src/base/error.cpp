#include <algorithm>
#include <cctype>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat {

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
