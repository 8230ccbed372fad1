/// One column of a Parquet file, row group after row group, a few rows at a time.

#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/judge/row_source.hpp"
#include "io/parquet/codecs.hpp"
#include "io/parquet/page_values.hpp"
#include "io/parquet/parquet_columns.hpp"
#include "io/parquet/parquet_file.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// For one thread at a time; several columns may be read side by side.
class ColumnReader {
 public:
  /// Both have to outlive this.
  ColumnReader(const ParquetFile& file, const ParquetColumn& column)
      : file_(file), column_(column) {}

  /// Goes to the first row of a row group. Throws Error of kind input.
  void begin(std::size_t group);
  /// Passes over rows that nobody wants.
  void pass(std::size_t rows) { passed_ += rows; }
  /// Fills cells with the next rows; those with a text that is not UTF-8 are added to
  /// `badly_encoded`. Throws Error of kind input.
  void next(std::size_t rows, RowBatch::Cells& cells, std::vector<std::uint32_t>& badly_encoded);
  /// To be called after the last row of a group that was read. Throws Error of kind input.
  void end();

  /// Decimals that were given with fewer digits than they have.
  std::int64_t inexact() const { return inexact_; }
  void forget_counts() { inexact_ = 0; }

 private:
  struct Dictionary;
  struct Texts;

  template <typename Work>
  void at_place(Work&& work);
  void take(std::size_t rows, RowBatch::Cells& cells, std::vector<std::uint32_t>& badly_encoded);
  void load_page();
  void begin_data(const parquet::PageHeader& header, std::string_view packed);
  void begin_data_v2(const parquet::PageHeader& header, std::string_view packed);
  void begin_levels(std::string_view& page, std::int32_t encoding);
  void begin_values(std::string_view values, std::int32_t encoding);
  void load_dictionary(const parquet::PageHeader& header, std::string_view packed);
  std::size_t take_levels(std::size_t at, std::size_t rows, RowBatch::Cells& cells);
  void take_bits(std::span<std::uint64_t> out);
  void take_texts(std::span<std::string_view> out, RowBatch::Cells& cells);
  void note_badly_encoded(std::span<const std::string_view> texts, std::size_t from,
                          std::vector<std::uint32_t>& rows) const;
  void convert_words(std::span<std::uint64_t> values);
  std::uint64_t bits_of(std::string_view bytes);
  void finish_times(RowBatch::Cells& cells) const;
  bool gives_texts() const { return column_.column.type == RowType::text; }

  const ParquetFile& file_;
  const ParquetColumn& column_;
  std::size_t group_ = 0, passed_ = 0, rows_left_ = 0;
  std::string_view chunk_{};
  std::size_t page_at_ = 0;  // the byte of the file at which the page begins
  ParquetCodec codec_ = ParquetCodec::uncompressed;
  std::size_t page_left_ = 0;
  PageUnpacker unpacker_{};
  KeptBytes page_{};
  HybridRuns levels_{};
  std::vector<std::uint32_t> flat_levels_{};  // of the oldest way, all at once
  std::size_t flat_at_ = 0;
  PageValues values_{};
  std::shared_ptr<const Dictionary> dictionary_{};
  std::vector<std::uint32_t> numbers_{};  // levels or places, for a moment
  std::vector<std::uint64_t> words_{};
  std::vector<std::string_view> texts_{};
  std::int64_t inexact_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
