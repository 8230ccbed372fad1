/// Records one by one: for a program that gets them from a feed or a queue, or has them in a form
/// of its own.
///
/// What a reader does for a file is done for them: each has its place (its number, as its line), a
/// record at fault goes into the account with its raw text, and what can't be read of a record is a
/// missing reading with a fault.

#pragma once

#include <cstdint>
#include <initializer_list>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// One reading as a program has it: missing, a number, a whole number, a truth or a text. Not a
/// number is missing.
using Reading = std::variant<std::monostate, double, std::int64_t, bool, std::string_view>;

/// Puts records together in order of arrival. Not for several threads at once.
class RecordsBuilder {
 public:
  /// Records of a source of that name, with these columns of readings, and a key when it has a
  /// name. Their times are instants; local times and calendar steps go by the zone.
  /// Throws Error of kind usage when two of the names are alike.
  explicit RecordsBuilder(std::string name, std::vector<std::string> columns,
                          std::string key_name = {}, Zone zone = {});
  RecordsBuilder(RecordsBuilder&&) noexcept;
  RecordsBuilder& operator=(RecordsBuilder&&) noexcept;
  ~RecordsBuilder();

  /// Adds a record. The first reading of a column that is there decides its type; whole numbers and
  /// numbers go together as numbers, and a reading of another type is at fault as
  /// `unreadable-reading`, and missing. Of records with a key, one whose key is empty is rejected
  /// as `missing-key`. Texts are copied.
  /// Throws Error of kind usage when there are not as many readings as columns, or a key where
  /// there is none; then nothing is added. Cost: constant, spread over many.
  void add(Instant time, std::string_view key, std::initializer_list<Reading> readings);
  void add(Instant time, std::string_view key, std::span<const Reading> readings);
  /// The same of records without a key.
  void add(Instant time, std::initializer_list<Reading> readings);

  /// Counts a record that was rejected, and keeps its raw text.
  void reject(Reason reason, std::string_view raw);

  /// How many records there are, those that were rejected among them.
  [[nodiscard]] std::size_t size() const;

  /// The records; the builder is empty afterwards, and may be used again.
  [[nodiscard]] Records take() &&;

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace v1
}  // namespace zerobeat
