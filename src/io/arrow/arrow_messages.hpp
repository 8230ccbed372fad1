/// The messages of an Arrow file or stream: framed, verified, and where the metadata lie as they
/// have to.

#pragma once

#include <arrow_generated.h>

#include <cstdint>
#include <deque>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr std::string_view arrow_file_mark = "ARROW1";

/// A message and the bytes after it.
struct Framed {
  const arrow::Message* message = nullptr;
  std::string_view body;
  std::size_t next = 0;  ///< byte after both
};

class ArrowMessages {
 public:
  /// Throws Error of kind input when it is damaged or cut short. The text has to outlive this.
  explicit ArrowMessages(const SourceText& text);

  const arrow::Schema& schema() const { return *schema_; }
  bool is_file() const { return is_file_; }
  /// Those of a file, which come before all batches; a stream has them among its messages.
  std::span<const Framed> dictionaries() const { return dictionaries_; }
  std::span<const Framed> messages() const { return messages_; }

  [[noreturn]] void fail(std::size_t byte, const std::string& what) const;

 private:
  std::uint32_t word_at(std::size_t byte) const;
  const std::uint8_t* aligned(std::size_t at, std::size_t size);
  Framed message_at(std::size_t byte);
  Framed message_of(const arrow::Block& block);
  void open_file();
  void open_stream();
  std::size_t next_stream(std::size_t byte);
  void check_nothing_between(std::size_t end, std::size_t footer) const;
  void take_schema(const arrow::Schema* schema, std::size_t byte);

  const SourceText& text_;
  std::string_view bytes_;
  bool is_file_ = false;
  const arrow::Schema* schema_ = nullptr;
  std::deque<std::vector<std::uint64_t>> metadata_;
  std::vector<Framed> dictionaries_;
  std::vector<Framed> messages_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
