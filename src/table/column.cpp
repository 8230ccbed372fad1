#include <tbb/parallel_for.h>

#include <algorithm>
#include <bit>
#include <stdexcept>
#include <unordered_map>
#include <zerobeat/table/column.hpp>

namespace zerobeat {

Validity::Validity(Buffer<std::uint64_t> words, std::size_t size) {
  std::size_t present = 0;
  for (std::size_t i = 0; i < size / 64; ++i) present += std::popcount(words[i]);
  if (size % 64 != 0) {
    present += std::popcount(words[size / 64] & ((std::uint64_t{1} << (size % 64)) - 1));
  }
  missing_ = size - present;
  if (missing_ == 0) return;
  // Nothing of what memory held before is handed on.
  if (size % 64 != 0) words[size / 64] &= (std::uint64_t{1} << (size % 64)) - 1;
  owner_ = std::make_shared<const Buffer<std::uint64_t>>(std::move(words));
  bits_ = owner_->data();
}

namespace {

/// Calls work(from, until) for parts of so many rows, side by side; parts begin at words of bits.
template <typename Work>
void for_parts(std::size_t rows, Work&& work) {
  constexpr std::size_t part = std::size_t{1} << 16;
  tbb::parallel_for(std::size_t{0}, (rows + part - 1) / part,
                    [&](std::size_t p) { work(p * part, std::min(rows, (p + 1) * part)); });
}

/// Puts 0 where a reading is missing, so that nothing of what memory held before is handed on.
template <typename T>
void clear_missing(Buffer<T>& values, const Validity& validity) {
  if (validity.all()) return;
  for_parts(values.size(), [&](std::size_t from, std::size_t until) {
    for (std::size_t at = from; at < until; at += 64) {
      const std::size_t n = std::min<std::size_t>(64, until - at);
      const std::uint64_t here = n == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << n) - 1;
      for (std::uint64_t missing = ~validity.bits()[at / 64] & here; missing != 0;
           missing &= missing - 1) {
        values[at + static_cast<std::size_t>(std::countr_zero(missing))] = T{};
      }
    }
  });
}

/// The same of bits; and those past the end.
void clear_missing_bits(Buffer<std::uint64_t>& bits, std::size_t size, const Validity& validity) {
  if (!validity.all()) {
    for (std::size_t i = 0; i < (size + 63) / 64; ++i) bits[i] &= validity.bits()[i];
  }
  if (size % 64 != 0) bits[size / 64] &= (std::uint64_t{1} << (size % 64)) - 1;
}

}  // namespace

template <typename T>
Column Column::of(Type type, Buffer<T> values, std::size_t size, Validity validity) {
  if (type == Type::boolean) {
    if constexpr (std::is_same_v<T, std::uint64_t>) clear_missing_bits(values, size, validity);
  } else {
    clear_missing(values, validity);
  }
  Column column;
  column.type_ = type;
  column.size_ = size;
  auto owner = std::make_shared<const Buffer<T>>(std::move(values));
  column.data_ = owner->data();
  column.owner_ = std::move(owner);
  column.validity_ = std::move(validity);
  return column;
}

Column Column::numbers(Buffer<double> values, Validity validity) {
  const std::size_t size = values.size();
  return of(Type::number, std::move(values), size, std::move(validity));
}

Column Column::integers(Buffer<std::int64_t> values, Validity validity) {
  const std::size_t size = values.size();
  return of(Type::integer, std::move(values), size, std::move(validity));
}

Column Column::booleans(Buffer<std::uint64_t> bits, std::size_t size, Validity validity) {
  return of(Type::boolean, std::move(bits), size, std::move(validity));
}

Column Column::text(Buffer<std::int32_t> codes, std::shared_ptr<const Dictionary> dictionary,
                    Validity validity) {
  const std::size_t size = codes.size();
  Column column = of(Type::text, std::move(codes), size, std::move(validity));
  column.dictionary_ = std::move(dictionary);
  return column;
}

Column Column::times(Buffer<Instant> values, Validity validity) {
  const std::size_t size = values.size();
  return of(Type::time, std::move(values), size, std::move(validity));
}

void Column::fail_type(Type wanted) const {
  fail_usage("the column holds {}, not {}", enum_words(type_)[static_cast<std::size_t>(type_)],
             enum_words(wanted)[static_cast<std::size_t>(wanted)]);
}

Column Column::as_numbers() const {
  if (type_ == Type::number) return *this;
  const auto whole = integers();
  Buffer<double> values(whole.size());
  for (std::size_t i = 0; i < whole.size(); ++i) values[i] = static_cast<double>(whole[i]);
  return numbers(std::move(values), validity_);
}

namespace {

template <typename T>
Buffer<T> gather_values(std::span<const T> values, std::span<const std::int64_t> rows) {
  Buffer<T> out(rows.size());
  for_parts(rows.size(), [&](std::size_t from, std::size_t until) {
    for (std::size_t i = from; i < until; ++i) {
      out[i] = rows[i] < 0 ? T{} : values[static_cast<std::size_t>(rows[i])];
    }
  });
  return out;
}

Validity gather_validity(const Validity& validity, std::span<const std::int64_t> rows) {
  Buffer<std::uint64_t> words((rows.size() + 63) / 64);
  for_parts(rows.size(), [&](std::size_t from, std::size_t until) {
    for (std::size_t at = from; at < until; at += 64) {
      std::uint64_t word = 0;
      const std::size_t n = std::min<std::size_t>(64, until - at);
      if (validity.all()) {
        for (std::size_t i = 0; i < n; ++i) word |= std::uint64_t{rows[at + i] >= 0} << i;
      } else {
        for (std::size_t i = 0; i < n; ++i) {
          const std::int64_t row = rows[at + i];
          word |= std::uint64_t{row >= 0 && validity[static_cast<std::size_t>(row)]} << i;
        }
      }
      words[at / 64] = word;
    }
  });
  return Validity(std::move(words), rows.size());
}

}  // namespace

Column Column::gather(std::span<const std::int64_t> rows) const {
  Validity validity = gather_validity(validity_, rows);
  switch (type_) {
    case Type::number:
      return numbers(gather_values(numbers(), rows), std::move(validity));
    case Type::integer:
      return integers(gather_values(integers(), rows), std::move(validity));
    case Type::time:
      return times(gather_values(times(), rows), std::move(validity));
    case Type::text:
      return text(gather_values(codes(), rows), dictionary_, std::move(validity));
    case Type::boolean:
      break;
  }
  Buffer<std::uint64_t> bits((rows.size() + 63) / 64, 0);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (rows[i] >= 0 && boolean(static_cast<std::size_t>(rows[i]))) {
      bits[i / 64] |= std::uint64_t{1} << (i % 64);
    }
  }
  return booleans(std::move(bits), rows.size(), std::move(validity));
}

namespace {

std::size_t rows_of(std::span<const RowStretch> stretches) {
  std::size_t rows = 0;
  for (const RowStretch& stretch : stretches) rows += stretch.size();
  return rows;
}

template <typename T>
Buffer<T> gather_stretches(std::span<const T> values, std::span<const RowStretch> stretches) {
  Buffer<T> out(rows_of(stretches));
  T* at = out.data();
  for (const RowStretch& stretch : stretches) {
    at = std::copy(values.begin() + static_cast<std::ptrdiff_t>(stretch.begin),
                   values.begin() + static_cast<std::ptrdiff_t>(stretch.end), at);
  }
  return out;
}

/// Bits of the stretches, packed.
Buffer<std::uint64_t> gather_bits(const std::uint64_t* bits,
                                  std::span<const RowStretch> stretches) {
  Buffer<std::uint64_t> out((rows_of(stretches) + 63) / 64, 0);
  std::size_t at = 0;
  for (const RowStretch& stretch : stretches) {
    for (std::size_t i = stretch.begin; i < stretch.end;) {
      // As many as lie in one word on both sides.
      const std::size_t n =
          std::min({stretch.end - i, std::size_t{64} - i % 64, std::size_t{64} - at % 64});
      const std::uint64_t mask = n == 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << n) - 1;
      out[at / 64] |= (bits[i / 64] >> (i % 64) & mask) << (at % 64);
      at += n;
      i += n;
    }
  }
  return out;
}

}  // namespace

Column Column::gather(std::span<const RowStretch> stretches) const {
  if (stretches.size() == 1 && stretches[0] == RowStretch{0, size_}) return *this;
  Validity validity;
  const std::size_t rows = rows_of(stretches);
  if (!validity_.all()) validity = Validity(gather_bits(validity_.bits(), stretches), rows);
  switch (type_) {
    case Type::number:
      return numbers(gather_stretches(numbers(), stretches), std::move(validity));
    case Type::integer:
      return integers(gather_stretches(integers(), stretches), std::move(validity));
    case Type::time:
      return times(gather_stretches(times(), stretches), std::move(validity));
    case Type::text:
      return text(gather_stretches(codes(), stretches), dictionary_, std::move(validity));
    case Type::boolean:
      break;
  }
  return booleans(gather_bits(boolean_bits(), stretches), rows, std::move(validity));
}

bool operator==(const Column& a, const Column& b) {
  if (a.type() != b.type() || a.size() != b.size()) return false;
  for (std::size_t i = 0; i < a.size(); ++i) {
    if (a.valid(i) != b.valid(i)) return false;
    if (!a.valid(i)) continue;
    bool same = false;
    switch (a.type()) {
      case Column::Type::number:
        same = a.numbers()[i] == b.numbers()[i];
        break;
      case Column::Type::integer:
        same = a.integers()[i] == b.integers()[i];
        break;
      case Column::Type::time:
        same = a.times()[i] == b.times()[i];
        break;
      case Column::Type::text:
        same = a.text(i) == b.text(i);
        break;
      case Column::Type::boolean:
        same = a.boolean(i) == b.boolean(i);
        break;
    }
    if (!same) return false;
  }
  return true;
}

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
  if (!same && !numeric) throw std::logic_error("columns of several types make no column");
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
    for (const Column& column : columns) out.append(column.as_numbers().numbers());
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
