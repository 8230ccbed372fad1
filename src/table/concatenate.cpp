// Columns one after the other, in one.

#include <memory>
#include <unordered_map>
#include <zerobeat/table/column.hpp>

namespace zerobeat::inline v1 {

namespace {

template <typename T, typename Values>
Buffer<T> side_by_side(std::span<const Column> columns, std::size_t rows, Values&& values_of) {
  Buffer<T> out;
  out.reserve(rows);
  for (const Column& column : columns) out.append(values_of(column));
  return out;
}

/// Texts with one dictionary for all.
Column texts_together(std::span<const Column> columns, std::size_t rows, Validity validity) {
  auto words = std::make_shared<Column::Dictionary>();
  std::unordered_map<std::string, std::int32_t> codes;
  Buffer<std::int32_t> out;
  out.reserve(rows);
  for (const Column& column : columns) {
    std::vector<std::int32_t> now;
    for (const auto& word : column.dictionary()) {
      const auto [at, added] = codes.emplace(word, static_cast<std::int32_t>(words->size()));
      if (added) words->push_back(word);
      now.push_back(at->second);
    }
    for (const std::int32_t code : column.codes()) {
      out.push_back(now.empty() ? 0 : now[static_cast<std::size_t>(code)]);
    }
  }
  return Column::text(std::move(out), words, std::move(validity));
}

}  // namespace

Column concatenate(std::span<const Column> columns) {
  using Type = Column::Type;
  if (columns.empty()) return {};
  std::size_t rows = 0;
  bool same = true, numeric = true;
  for (const Column& column : columns) {
    rows += column.size();
    same &= column.type() == columns[0].type();
    numeric &= column.is_numeric();
  }
  if (!same && !numeric) fail_usage("columns of several types make no column");
  ValidityBuilder there(rows);
  std::size_t at = 0;
  for (const Column& column : columns) {
    for (std::size_t i = 0; i < column.size(); ++i, ++at) {
      if (!column.valid(i)) there.set_missing(at);
    }
  }
  Validity validity = there.take();
  if (!same || columns[0].type() == Type::number) {
    Buffer<double> out;
    out.reserve(rows);
    for (const Column& column : columns) {
      const Column numbers = column.as_numbers();
      out.append(numbers.numbers());
    }
    return Column::numbers(std::move(out), std::move(validity));
  }
  switch (columns[0].type()) {
    case Type::integer:
      return Column::integers(
          side_by_side<std::int64_t>(columns, rows, [](const auto& c) { return c.integers(); }),
          std::move(validity));
    case Type::time:
      return Column::times(
          side_by_side<Instant>(columns, rows, [](const auto& c) { return c.times(); }),
          std::move(validity));
    case Type::text:
      return texts_together(columns, rows, std::move(validity));
    default:
      break;
  }
  Buffer<std::uint64_t> bits((rows + 63) / 64, 0);
  at = 0;
  for (const Column& column : columns) {
    for (std::size_t i = 0; i < column.size(); ++i, ++at) {
      bits[at / 64] |= std::uint64_t{column.boolean(i)} << (at % 64);
    }
  }
  return Column::booleans(std::move(bits), rows, std::move(validity));
}

}  // namespace zerobeat
