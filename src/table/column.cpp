#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <stdexcept>
#include <unordered_map>
#include <zerobeat/table/column.hpp>

#include "base/clones.hpp"
#include "base/parallel.hpp"
#include "table/has_nan.hpp"

namespace zerobeat::inline v1 {

Validity::Validity(Buffer<std::uint64_t> words, std::size_t size) {
  if (words.size() * 64 < size) {
    fail_usage("a validity of {} readings needs {} words of 64 bits, and has {}", size,
               (size + 63) / 64, words.size());
  }
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
  size_ = size;
}

namespace {

/// Calls work(from, until) for parts of so many rows, side by side; parts begin at words of bits.
template <typename Work>
void for_parts(std::size_t rows, Work&& work) {
  constexpr std::size_t part = std::size_t{1} << 16;
  detail::parallel_for(std::size_t{0}, (rows + part - 1) / part,
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

void check_size(const Validity& validity, std::size_t size) {
  if (!validity.all() && validity.size() != size) {
    fail_usage("a column of {} readings has a validity of {}", size, validity.size());
  }
}

/// A bit for each value that is a number.
Buffer<std::uint64_t> number_bits(std::span<const double> values) {
  Buffer<std::uint64_t> words((values.size() + 63) / 64);
  for (std::size_t at = 0; at < values.size(); at += 64) {
    std::uint64_t word = 0;
    const std::size_t n = std::min<std::size_t>(64, values.size() - at);
    for (std::size_t i = 0; i < n; ++i) word |= std::uint64_t{!std::isnan(values[at + i])} << i;
    words[at / 64] = word;
  }
  return words;
}

ZEROBEAT_CLONES
bool any_nan(const double* values, std::size_t count) {
  std::int64_t any = 0;
  for (std::size_t i = 0; i < count; ++i) any |= -std::int64_t{values[i] != values[i]};
  return any != 0;
}

/// The validity of values some of which are no numbers: those are missing.
Validity without_nan(std::span<const double> values, const Validity& validity) {
  Buffer<std::uint64_t> words = number_bits(values);
  if (!validity.all()) {
    for (std::size_t i = 0; i < words.size(); ++i) words[i] &= validity.bits()[i];
  }
  return Validity(std::move(words), values.size());
}

/// Whether what stands behind missing readings is 0.
template <typename T>
bool is_clear(std::span<const T> values, const Validity& validity) {
  if (validity.all()) return true;
  for (std::size_t i = 0; i < values.size(); ++i) {
    if (!validity[i] && values[i] != T{}) return false;
  }
  return true;
}

}  // namespace

bool detail::has_nan(std::span<const double> values) {
  constexpr std::size_t block = 4096;
  for (std::size_t at = 0; at < values.size(); at += block) {
    if (any_nan(values.data() + at, std::min(block, values.size() - at))) return true;
  }
  return false;
}

Column::Column(Column&& other) noexcept
    : type_(other.type_),
      size_(std::exchange(other.size_, 0)),
      owner_(std::move(other.owner_)),
      data_(std::exchange(other.data_, nullptr)),
      dictionary_(other.dictionary_),
      validity_(std::exchange(other.validity_, {})),
      room_(std::move(other.room_)) {}

Column& Column::operator=(Column&& other) noexcept {
  if (this == &other) return *this;
  type_ = other.type_;
  size_ = std::exchange(other.size_, 0);
  owner_ = std::move(other.owner_);
  data_ = std::exchange(other.data_, nullptr);
  dictionary_ = other.dictionary_;
  validity_ = std::exchange(other.validity_, {});
  room_ = std::move(other.room_);
  return *this;
}

template <typename T>
Column Column::of(Type type, Buffer<T> values, std::size_t size, Validity validity) {
  check_size(validity, size);
  if (type == Type::boolean) {
    if constexpr (std::is_same_v<T, std::uint64_t>) clear_missing_bits(values, size, validity);
  } else {
    clear_missing(values, validity);
  }
  if constexpr (std::is_same_v<T, double>) {
    if (detail::has_nan(values.span())) {
      validity = without_nan(values.span(), validity);
      clear_missing(values, validity);
    }
  }
  return owning(type, std::move(values), size, std::move(validity));
}

template <typename T>
Column Column::owning(Type type, Buffer<T> values, std::size_t size, Validity validity) {
  Column column;
  column.type_ = type;
  column.size_ = size;
  auto owner = std::make_shared<const Buffer<T>>(std::move(values));
  column.data_ = owner->data();
  column.owner_ = std::move(owner);
  column.validity_ = std::move(validity);
  return column;
}

Column detail::clean_numbers(Buffer<double> values, Validity validity) {
  check_size(validity, values.size());
  const std::size_t size = values.size();
  return Column::owning(Column::Type::number, std::move(values), size, std::move(validity));
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
  if (bits.size() * 64 < size) {
    fail_usage("{} booleans need {} words of 64 bits, and have {}", size, (size + 63) / 64,
               bits.size());
  }
  return of(Type::boolean, std::move(bits), size, std::move(validity));
}

Column Column::text(Buffer<std::int32_t> codes, std::shared_ptr<const Dictionary> dictionary,
                    Validity validity) {
  const std::size_t size = codes.size();
  if (dictionary == nullptr) fail_usage("a column of texts has a dictionary, if only an empty one");
  Column column = of(Type::text, std::move(codes), size, std::move(validity));
  std::uint32_t greatest = 0;
  for (const std::int32_t code : column.values<std::int32_t>(Type::text)) {
    greatest = std::max(greatest, static_cast<std::uint32_t>(code));
  }
  // Codes of missing readings are 0, which no dictionary needs to have for their sake.
  const bool none_there = column.validity_.missing() == size;
  if (!none_there && greatest >= dictionary->size()) {
    fail_usage(
        "a text's code is {}, and the dictionary has {} texts; codes are places in it, from 0",
        static_cast<std::int32_t>(greatest), dictionary->size());
  }
  column.dictionary_ = std::move(dictionary);
  return column;
}

Column Column::times(Buffer<Instant> values, Validity validity) {
  const std::size_t size = values.size();
  return of(Type::time, std::move(values), size, std::move(validity));
}

template <typename T>
Column Column::held(Type type, std::vector<T> values) {
  auto owner = std::make_shared<std::vector<T>>(std::move(values));
  Validity validity;
  if constexpr (std::is_same_v<T, double>) {
    if (detail::has_nan(*owner)) {
      validity = without_nan(*owner, {});
      for (double& value : *owner) value = std::isnan(value) ? 0 : value;
    }
  }
  Column column;
  column.type_ = type;
  column.size_ = owner->size();
  column.data_ = owner->data();
  column.owner_ = std::move(owner);
  column.validity_ = std::move(validity);
  return column;
}

template <typename T>
Column Column::borrowed(Type type, const Borrowed<T>& values, Validity validity) {
  check_size(validity, values.values.size());
  if (values.owner == nullptr && !values.values.empty()) {
    fail_usage("borrowed values need an owner that keeps them");
  }
  const auto copied = [&] {
    Buffer<T> copy(values.values.size());
    if (copy.size() > 0) {
      std::memcpy(static_cast<void*>(copy.data()), values.values.data(),
                  values.values.size_bytes());
    }
    const std::size_t size = copy.size();
    return of(type, std::move(copy), size, std::move(validity));
  };
  // What stands where no such value can is not looked at there.
  if (reinterpret_cast<std::uintptr_t>(values.values.data()) % alignof(T) != 0) return copied();
  if constexpr (std::is_same_v<T, double>) {
    if (detail::has_nan(values.values)) return copied();
  }
  if (!is_clear(values.values, validity)) return copied();
  Column column;
  column.type_ = type;
  column.size_ = values.values.size();
  column.data_ = values.values.data();
  column.owner_ = values.owner;
  column.validity_ = std::move(validity);
  return column;
}

Column::Column(std::vector<double> values) : Column(held(Type::number, std::move(values))) {}
Column::Column(std::vector<std::int64_t> values) : Column(held(Type::integer, std::move(values))) {}
Column::Column(std::vector<Instant> values) : Column(held(Type::time, std::move(values))) {}
Column::Column(std::initializer_list<Instant> values) : Column(std::vector<Instant>(values)) {}
Column::Column(std::initializer_list<double> values) : Column(std::vector<double>(values)) {}
Column::Column(Buffer<double> values) : Column(numbers(std::move(values))) {}
Column::Column(Buffer<std::int64_t> values) : Column(integers(std::move(values))) {}
Column::Column(Buffer<Instant> values) : Column(times(std::move(values))) {}
Column::Column(const Borrowed<double>& values) : Column(values, Validity()) {}
Column::Column(const Borrowed<std::int64_t>& values) : Column(values, Validity()) {}
Column::Column(const Borrowed<Instant>& values) : Column(values, Validity()) {}
Column::Column(const Borrowed<double>& values, Validity validity)
    : Column(borrowed(Type::number, values, std::move(validity))) {}
Column::Column(const Borrowed<std::int64_t>& values, Validity validity)
    : Column(borrowed(Type::integer, values, std::move(validity))) {}
Column::Column(const Borrowed<Instant>& values, Validity validity)
    : Column(borrowed(Type::time, values, std::move(validity))) {}

Column::Column(const std::vector<bool>& values) {
  Buffer<std::uint64_t> bits((values.size() + 63) / 64, 0);
  for (std::size_t i = 0; i < values.size(); ++i) {
    bits[i / 64] |= std::uint64_t{values[i]} << (i % 64);
  }
  *this = booleans(std::move(bits), values.size());
}

Column::Column(const std::vector<std::string>& values) {
  auto dictionary = std::make_shared<Dictionary>();
  std::unordered_map<std::string_view, std::int32_t> codes;
  Buffer<std::int32_t> out(values.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    const auto [at, added] =
        codes.emplace(values[i], static_cast<std::int32_t>(dictionary->size()));
    if (added) dictionary->push_back(values[i]);
    out[i] = at->second;
  }
  *this = text(std::move(out), std::move(dictionary));
}

std::vector<double> Column::numbers_or(double missing) const {
  const Column numbers = as_numbers();
  const auto values = numbers.numbers();
  std::vector<double> out(values.begin(), values.end());
  if (validity_.all()) return out;
  for (std::size_t i = 0; i < out.size(); ++i) {
    if (!valid(i)) out[i] = missing;
  }
  return out;
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

}  // namespace zerobeat
