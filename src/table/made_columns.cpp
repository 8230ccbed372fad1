#include "table/made_columns.hpp"

#include <unordered_map>

namespace zerobeat::inline v1::detail {

Column without_rows(const Column& column, std::span<const std::size_t> rows) {
  const Column numbers = column.as_numbers();
  if (rows.empty()) return numbers;
  ValidityBuilder validity(numbers.size());
  for (std::size_t row = 0; row < numbers.size(); ++row) {
    if (!numbers.valid(row)) validity.set_missing(row);
  }
  for (const std::size_t row : rows) validity.set_missing(row);
  return Column::numbers(Buffer<double>(numbers.numbers()), validity.take());
}

Column column_of_words(std::span<const std::string> words) {
  auto dictionary = std::make_shared<Column::Dictionary>();
  std::unordered_map<std::string_view, std::int32_t> known;
  Buffer<std::int32_t> codes(words.size());
  ValidityBuilder validity(words.size());
  for (std::size_t i = 0; i < words.size(); ++i) {
    const auto [at, is_new] =
        known.try_emplace(words[i], static_cast<std::int32_t>(dictionary->size()));
    if (is_new) dictionary->push_back(words[i]);
    codes[i] = at->second;
    if (words[i].empty()) validity.set_missing(i);
  }
  return Column::text(std::move(codes), std::move(dictionary), validity.take());
}

}  // namespace zerobeat::detail
