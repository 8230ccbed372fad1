/// Columns: typed readings, with one mechanism for missing ones.
///
/// A column is immutable and shared: copying one copies a few pointers. Its
/// memory has the Arrow columnar layout: 64-byte-aligned values, and a validity
/// bitmap, least significant bit first, that is absent when nothing is missing.
/// The value behind a missing reading is 0 (false, the first text). Not a number is missing, from
/// the moment that a column is made.
///
/// Threads may read one column at the same time. Spans, texts and dictionaries that it gives live
/// as long as it or a copy of it does; of a column that nobody keeps they can't be asked.

#pragma once

#include <array>
#include <cstdint>
#include <initializer_list>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>
#include <utility>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Which readings are there: one bit each, set when there is one.
class Validity {
 public:
  /// All of any number are there.
  Validity() = default;

  /// `words` holds `size` bits; bits past the end are ignored. Counts what is missing;
  /// when nothing is, the bits are let go. Throws Error of kind usage when there are fewer bits.
  Validity(Buffer<std::uint64_t> words, std::size_t size);

  [[nodiscard]] bool all() const { return bits_ == nullptr; }
  /// How many readings the bits are of; 0 when all of any number are there.
  [[nodiscard]] std::size_t size() const { return size_; }
  bool operator[](std::size_t i) const {
    return bits_ == nullptr || (bits_[i / 64] >> (i % 64) & 1) != 0;
  }
  /// How many are missing.
  [[nodiscard]] std::size_t missing() const { return missing_; }
  /// The bitmap, or null when all are there.
  [[nodiscard]] const std::uint64_t* bits() const { return bits_; }

 private:
  std::shared_ptr<const Buffer<std::uint64_t>> owner_;
  const std::uint64_t* bits_ = nullptr;
  std::size_t missing_ = 0;
  std::size_t size_ = 0;
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

  [[nodiscard]] std::size_t size() const { return end - begin; }
  friend bool operator==(const RowStretch&, const RowStretch&) = default;
};

class Column;

namespace detail {

/// Memory behind a column's values into which the next ones can go.
struct Room;

/// A column of numbers of which it is known that each is one, and 0 where it is missing: none of
/// them is looked at.
[[nodiscard]] Column clean_numbers(Buffer<double> values, Validity validity = {});

}  // namespace detail

/// Values that stand in someone else's memory, which `owner` keeps.
template <typename T>
struct Borrowed {
  std::span<const T> values{};
  std::shared_ptr<const void> owner{};
};

/// Values for a column that takes no copy of them: borrow(span, owner). They must not change as
/// long as the owner lives.
template <typename T, std::size_t extent>
[[nodiscard]] Borrowed<std::remove_const_t<T>> borrow(std::span<T, extent> values,
                                                      std::shared_ptr<const void> owner) {
  return {std::span<const T>(values), std::move(owner)};
}

class Column {
 public:
  enum class Type { number, integer, boolean, text, time };
  using Dictionary = std::vector<std::string>;

  /// An empty column of numbers.
  Column() = default;
  Column(const Column&) = default;
  Column& operator=(const Column&) = default;
  /// What was moved from is an empty column of its type.
  Column(Column&& other) noexcept;
  Column& operator=(Column&& other) noexcept;
  ~Column() = default;

  /// From a program's values: all are there but those that are not a number. What is moved or
  /// borrowed is not copied, but for borrowed numbers some of which are missing.
  Column(std::vector<double> values);              // NOLINT: meant to convert
  Column(std::vector<std::int64_t> values);        // NOLINT
  Column(std::vector<Instant> values);             // NOLINT
  Column(const std::vector<bool>& values);         // NOLINT
  Column(const std::vector<std::string>& values);  // NOLINT
  Column(std::initializer_list<Instant> values);   // NOLINT
  Column(std::initializer_list<double> values);    // NOLINT
  Column(Buffer<double> values);                   // NOLINT
  Column(Buffer<std::int64_t> values);             // NOLINT
  Column(Buffer<Instant> values);                  // NOLINT
  Column(const Borrowed<double>& values);          // NOLINT
  Column(const Borrowed<std::int64_t>& values);    // NOLINT
  Column(const Borrowed<Instant>& values);         // NOLINT
  Column(const Borrowed<double>& values, Validity validity);
  Column(const Borrowed<std::int64_t>& values, Validity validity);
  Column(const Borrowed<Instant>& values, Validity validity);

  /// Each throws Error of kind usage when the validity is of another number of readings.
  [[nodiscard]] static Column numbers(Buffer<double> values, Validity validity = {});
  [[nodiscard]] static Column integers(Buffer<std::int64_t> values, Validity validity = {});
  /// One bit each, least significant first.
  [[nodiscard]] static Column booleans(Buffer<std::uint64_t> bits, std::size_t size,
                                       Validity validity = {});
  /// Codes are places in the dictionary, in which no text is twice; those of missing readings do
  /// not count. Throws Error of kind usage when a code is beyond it.
  [[nodiscard]] static Column text(Buffer<std::int32_t> codes,
                                   std::shared_ptr<const Dictionary> dictionary,
                                   Validity validity = {});
  [[nodiscard]] static Column times(Buffer<Instant> values, Validity validity = {});

  [[nodiscard]] Type type() const { return type_; }
  [[nodiscard]] std::size_t size() const { return size_; }
  [[nodiscard]] bool is_numeric() const { return type_ == Type::number || type_ == Type::integer; }
  [[nodiscard]] const Validity& validity() const { return validity_; }
  [[nodiscard]] bool valid(std::size_t i) const { return validity_[i]; }

  /// The values. Throws Error when the column is of another type.
  [[nodiscard]] std::span<const double> numbers() const& { return values<double>(Type::number); }
  [[nodiscard]] std::span<const std::int64_t> integers() const& {
    return values<std::int64_t>(Type::integer);
  }
  [[nodiscard]] std::span<const Instant> times() const& { return values<Instant>(Type::time); }
  [[nodiscard]] std::span<const std::int32_t> codes() const& {
    return values<std::int32_t>(Type::text);
  }
  [[nodiscard]] const Dictionary& dictionary() const& {
    if (type_ != Type::text) fail_type(Type::text);
    return *dictionary_;
  }
  // They would outlive the memory that they are in.
  std::span<const double> numbers() const&& = delete;
  std::span<const std::int64_t> integers() const&& = delete;
  std::span<const Instant> times() const&& = delete;
  std::span<const std::int32_t> codes() const&& = delete;
  const Dictionary& dictionary() const&& = delete;

  [[nodiscard]] bool boolean(std::size_t i) const {
    if (type_ != Type::boolean) fail_type(Type::boolean);
    return (static_cast<const std::uint64_t*>(data_)[i / 64] >> (i % 64) & 1) != 0;
  }
  /// The booleans as bits, least significant first.
  [[nodiscard]] const std::uint64_t* boolean_bits() const& {
    if (type_ != Type::boolean) fail_type(Type::boolean);
    return static_cast<const std::uint64_t*>(data_);
  }
  /// The text of reading `i`, which is not missing.
  [[nodiscard]] const std::string& text(std::size_t i) const& {
    return dictionary()[static_cast<std::size_t>(codes()[i])];
  }
  const std::uint64_t* boolean_bits() const&& = delete;
  [[nodiscard]] std::string text(std::size_t i) const&& { return text(i); }

  /// A copy of a numeric column's readings with `missing` where there is none.
  /// Throws Error of kind usage when it is not numeric.
  [[nodiscard]] std::vector<double> numbers_or(double missing) const;

  /// A numeric column as numbers: itself, or a copy of integers made numbers (those past 2^53
  /// are rounded). Throws Error when it is not numeric.
  [[nodiscard]] Column as_numbers() const;

  /// The column with reading i taken from row rows[i]; -1 is missing. Cost: one pass.
  [[nodiscard]] Column gather(std::span<const std::int64_t> rows) const;
  /// The column with the rows of these stretches, one after the other; the column itself when that
  /// is all of it. Cost: a copy of what is kept.
  [[nodiscard]] Column gather(std::span<const RowStretch> stretches) const;

  /// The column with the readings of `more` after its own. What it returns has room for more to
  /// come, so that a column that grows by it again and again costs, spread over all, no more than
  /// what is added; dictionaries with new texts, and the bits of what is missing, are copied. The
  /// column itself stays as it is. Throws Error of kind usage when the types do not go together.
  [[nodiscard]] Column appended(const Column& more) const;

  /// True when both hold the same type, the same readings and the same missing ones.
  friend bool operator==(const Column& a, const Column& b);
  friend Column detail::clean_numbers(Buffer<double> values, Validity validity);

 private:
  template <typename T>
  [[nodiscard]] static Column of(Type type, Buffer<T> values, std::size_t size, Validity validity);
  template <typename T>
  [[nodiscard]] static Column owning(Type type, Buffer<T> values, std::size_t size,
                                     Validity validity);
  template <typename T>
  void append_values(std::span<const T> values, std::span<const T> more);
  template <typename T>
  [[nodiscard]] static Column held(Type type, std::vector<T> values);
  template <typename T>
  [[nodiscard]] static Column borrowed(Type type, const Borrowed<T>& values, Validity validity);
  template <typename T>
  [[nodiscard]] std::span<const T> values(Type type) const {
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
  std::shared_ptr<detail::Room> room_;  // of columns that were appended to
};

/// The columns one after the other. All are of one type, or numeric: integers and numbers become
/// numbers. Throws Error of kind usage when they can't be one column.
[[nodiscard]] Column concatenate(std::span<const Column> columns);

[[nodiscard]] constexpr auto enum_words(Column::Type) {
  return std::array<std::string_view, 5>{"number", "integer", "boolean", "text", "time"};
}

}  // namespace v1
}  // namespace zerobeat
