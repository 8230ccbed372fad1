/// Columns: typed readings, with one mechanism for missing ones.
///
/// A column is immutable and shared: copying one copies a few pointers. Its
/// memory has the Arrow columnar layout: 64-byte-aligned values, and a validity
/// bitmap, least significant bit first, that is absent when nothing is missing.
/// The value behind a missing reading is 0 (false, the first text).

#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/error.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {

/// Which readings are there: one bit each, set when there is one.
class Validity {
 public:
  /// All of any number are there.
  Validity() = default;

  /// `words` holds `size` bits; bits past the end are ignored. Counts what is missing;
  /// when nothing is, the bits are let go.
  Validity(Buffer<std::uint64_t> words, std::size_t size);

  bool all() const { return bits_ == nullptr; }
  bool operator[](std::size_t i) const {
    return bits_ == nullptr || (bits_[i / 64] >> (i % 64) & 1) != 0;
  }
  /// How many are missing.
  std::size_t missing() const { return missing_; }
  /// The bitmap, or null when all are there.
  const std::uint64_t* bits() const { return bits_; }

 private:
  std::shared_ptr<const Buffer<std::uint64_t>> owner_;
  const std::uint64_t* bits_ = nullptr;
  std::size_t missing_ = 0;
};

/// Builds a Validity bit by bit; takes no memory until something is missing.
class ValidityBuilder {
 public:
  explicit ValidityBuilder(std::size_t size) : size_(size) {}

  /// Marks reading `i` missing. Not for several threads at once.
  void set_missing(std::size_t i) {
    if (words_.empty()) words_ = Buffer<std::uint64_t>((size_ + 63) / 64, ~std::uint64_t{0});
    words_[i / 64] &= ~(std::uint64_t{1} << (i % 64));
  }

  Validity take() { return words_.empty() ? Validity() : Validity(std::move(words_), size_); }

 private:
  std::size_t size_;
  Buffer<std::uint64_t> words_;
};

/// Rows one after the other: [begin, end).
struct RowStretch {
  std::size_t begin = 0, end = 0;

  std::size_t size() const { return end - begin; }
  friend bool operator==(const RowStretch&, const RowStretch&) = default;
};

class Column {
 public:
  enum class Type { number, integer, boolean, text, time };
  using Dictionary = std::vector<std::string>;

  /// An empty column of numbers.
  Column() = default;

  static Column numbers(Buffer<double> values, Validity validity = {});
  static Column integers(Buffer<std::int64_t> values, Validity validity = {});
  /// One bit each, least significant first.
  static Column booleans(Buffer<std::uint64_t> bits, std::size_t size, Validity validity = {});
  /// Codes are places in the dictionary, in which no text is twice; those of missing readings are 0
  /// or more all the same.
  static Column text(Buffer<std::int32_t> codes, std::shared_ptr<const Dictionary> dictionary,
                     Validity validity = {});
  static Column times(Buffer<Instant> values, Validity validity = {});

  Type type() const { return type_; }
  std::size_t size() const { return size_; }
  bool is_numeric() const { return type_ == Type::number || type_ == Type::integer; }
  const Validity& validity() const { return validity_; }
  bool valid(std::size_t i) const { return validity_[i]; }

  /// The values. Throws Error when the column is of another type.
  std::span<const double> numbers() const { return values<double>(Type::number); }
  std::span<const std::int64_t> integers() const { return values<std::int64_t>(Type::integer); }
  std::span<const Instant> times() const { return values<Instant>(Type::time); }
  std::span<const std::int32_t> codes() const { return values<std::int32_t>(Type::text); }
  const Dictionary& dictionary() const {
    if (type_ != Type::text) fail_type(Type::text);
    return *dictionary_;
  }
  bool boolean(std::size_t i) const {
    if (type_ != Type::boolean) fail_type(Type::boolean);
    return (static_cast<const std::uint64_t*>(data_)[i / 64] >> (i % 64) & 1) != 0;
  }
  /// The booleans as bits, least significant first.
  const std::uint64_t* boolean_bits() const {
    if (type_ != Type::boolean) fail_type(Type::boolean);
    return static_cast<const std::uint64_t*>(data_);
  }
  /// The text of reading `i`, which is not missing.
  const std::string& text(std::size_t i) const {
    return dictionary()[static_cast<std::size_t>(codes()[i])];
  }

  /// A numeric column as numbers: itself, or a copy of integers made numbers (those past 2^53
  /// are rounded). Throws Error when it is not numeric.
  Column as_numbers() const;

  /// The column with reading i taken from row rows[i]; -1 is missing. Cost: one pass.
  Column gather(std::span<const std::int64_t> rows) const;
  /// The column with the rows of these stretches, one after the other; the column itself when that
  /// is all of it. Cost: a copy of what is kept.
  Column gather(std::span<const RowStretch> stretches) const;

  /// True when both hold the same type, the same readings and the same missing ones.
  friend bool operator==(const Column& a, const Column& b);

 private:
  template <typename T>
  static Column of(Type type, Buffer<T> values, std::size_t size, Validity validity);
  template <typename T>
  std::span<const T> values(Type type) const {
    if (type_ != type) fail_type(type);
    return {static_cast<const T*>(data_), size_};
  }
  [[noreturn]] void fail_type(Type wanted) const;

  Type type_ = Type::number;
  std::size_t size_ = 0;
  std::shared_ptr<const void> owner_;
  const void* data_ = nullptr;
  std::shared_ptr<const Dictionary> dictionary_;
  Validity validity_{};
};

/// The columns one after the other. All are of one type, or numeric: integers and numbers become
/// numbers. Throws std::logic_error when they can't be one column.
Column concatenate(std::span<const Column> columns);

constexpr auto enum_words(Column::Type) {
  return std::array<std::string_view, 5>{"number", "integer", "boolean", "text", "time"};
}

}  // namespace zerobeat
