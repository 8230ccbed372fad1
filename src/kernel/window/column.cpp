#include "kernel/window/column.hpp"

#include <algorithm>

namespace zerobeat::inline v1::detail {

WindowColumn::WindowColumn(Kind kind, std::size_t rows, std::size_t parts)
    : kind_(kind), rows_(rows), there_(rows), spans_(parts) {
  if (kind == Kind::numbers) {
    numbers_.resize(rows);
  } else {
    integers_.resize(rows);
  }
}

Validity WindowColumn::validity() {
  if (std::ranges::all_of(spans_, &Span::all)) return {};
  Buffer<std::uint64_t> words((rows_ + 63) / 64, ~std::uint64_t{0});
  for (const Span& span : spans_) {
    if (span.all) continue;
    for (std::size_t row = span.row; row < span.row + span.count; ++row) {
      if (there_[row] != 0) continue;
      words[row / 64] &= ~(std::uint64_t{1} << (row % 64));
      if (kind_ == Kind::numbers) numbers_[row] = 0;
    }
  }
  return {std::move(words), rows_};
}

Column WindowColumn::take(const Column* picked) {
  Validity bits = validity();
  switch (kind_) {
    case Kind::numbers:
      return clean_numbers(std::move(numbers_), std::move(bits));
    case Kind::integers:
      return Column::integers(std::move(integers_), std::move(bits));
    case Kind::rows:
      break;
  }
  for (std::size_t row = 0; row < rows_; ++row) {
    if (!bits[row]) integers_[row] = -1;
  }
  return picked->gather(integers_.span());
}

}  // namespace zerobeat::detail
