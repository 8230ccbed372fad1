/// A Parquet file: its metadata, read and looked through, so that what they say lies within it.

#pragma once

#include <parquet_types.h>

#include <cstdint>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

#include "io/parquet/words.hpp"
#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class ParquetFile {
 public:
  /// Throws Error of kind input when it is damaged, cut short, or encrypted. The text has to
  /// outlive this.
  explicit ParquetFile(const SourceText& text);

  const parquet::FileMetaData& metadata() const { return metadata_; }
  const std::string& name() const { return text_.name; }
  /// The bytes of a column in a row group. Throws Error of kind input when they lie outside.
  std::string_view chunk(const parquet::ColumnChunk& chunk) const;
  /// Where bytes stand in the file.
  std::size_t place_of(std::string_view bytes) const {
    return static_cast<std::size_t>(bytes.data() - bytes_.data());
  }
  const SourceText& text() const { return text_; }

 private:
  const SourceText& text_;
  std::string_view bytes_;
  parquet::FileMetaData metadata_;
};

/// A page's header, taken off the front of `bytes`. Throws DamagedPage.
parquet::PageHeader take_page_header(std::string_view& bytes);

/// Metadata as the bytes that a file has.
std::string bytes_of(const parquet::FileMetaData& metadata);
std::string bytes_of(const parquet::PageHeader& header);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
