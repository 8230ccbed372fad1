#include "io/judge/interner.hpp"

#include <map>

#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("texts are numbered in order of first appearance, whatever their length", "[interner]") {
  std::mt19937 random(111);
  detail::Interner<std::string> interner;
  std::map<std::string, std::int32_t> plain;
  for (int round = 0; round < 3; ++round) {
    // Lengths about those that are kept whole, bytes that differ at either end, NULs among them.
    for (int i = 0; i < 20'000; ++i) {
      std::string text(random() % 18, 'k');
      for (char& letter : text) {
        if (random() % 3 == 0) letter = static_cast<char>("ab\0\xff"[random() % 4]);
      }
      const auto number = static_cast<std::int32_t>(plain.size());
      const auto expected = plain.emplace(text, number).first->second;
      REQUIRE(interner.number_of(text) == expected);
      REQUIRE(interner.number_of(text) == expected);
      REQUIRE(interner.texts()[static_cast<std::size_t>(expected)] == text);
    }
    REQUIRE(interner.texts().size() == plain.size());
    // Cleared, it begins anew.
    interner.clear();
    plain.clear();
  }
}

TEST_CASE("a text is told from one that starts alike, or is longer by NULs", "[interner]") {
  detail::Interner<std::string> interner;
  const std::vector<std::string> texts{
      "",          std::string(1, '\0'), std::string(2, '\0'), "probe_01",         "probe_011",
      "probe_012", "probe_0123456789",   "probe_0123456780",   "probe_01234567801"};
  for (int round = 0; round < 2; ++round) {
    for (std::size_t i = 0; i < texts.size(); ++i) {
      CHECK(interner.number_of(texts[i]) == static_cast<std::int32_t>(i));
    }
  }
}

}  // namespace zerobeat::testing
