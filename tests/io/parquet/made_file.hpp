/// Parquet files made by hand, page by page: what no writer at hand makes.

#pragma once

#include <string>
#include <vector>

#include "io/parquet/encode.hpp"
#include "io/parquet/parquet_file.hpp"
#include "io/parquet/words.hpp"

namespace zerobeat::testing {

/// Writes one row group of columns of one page each.
class MadeFile {
 public:
  explicit MadeFile(std::int64_t rows) {
    bytes_ = detail::parquet_mark;
    group_.num_rows = metadata_.num_rows = rows;
    metadata_.version = 1;
    parquet::SchemaElement root;
    root.name = "schema";
    metadata_.schema.push_back(root);
  }

  /// The schema of the next column: required unless `optional`.
  parquet::SchemaElement& column(const std::string& name, detail::Physical type,
                                 bool optional = false) {
    parquet::SchemaElement element;
    element.name = name;
    element.__set_type(static_cast<std::int32_t>(type));
    element.__set_repetition_type(optional ? 1 : 0);
    metadata_.schema.push_back(element);
    return metadata_.schema.back();
  }

  /// The page of the last column: its bytes as they stand in the file.
  void page(std::string_view packed, std::size_t unpacked_size,
            detail::ParquetEncoding encoding = detail::ParquetEncoding::plain,
            detail::ParquetCodec codec = detail::ParquetCodec::uncompressed,
            detail::ParquetEncoding levels = detail::ParquetEncoding::rle) {
    parquet::DataPageHeader about_page;
    about_page.num_values = static_cast<std::int32_t>(group_.num_rows);
    about_page.encoding = static_cast<std::int32_t>(encoding);
    about_page.definition_level_encoding = static_cast<std::int32_t>(levels);
    about_page.repetition_level_encoding = static_cast<std::int32_t>(levels);
    parquet::PageHeader header;
    header.type = static_cast<std::int32_t>(detail::PageType::data);
    header.uncompressed_page_size = static_cast<std::int32_t>(unpacked_size);
    header.compressed_page_size = static_cast<std::int32_t>(packed.size());
    header.__set_data_page_header(about_page);
    const std::string head = detail::bytes_of(header);
    parquet::ColumnMetaData about;
    about.type = metadata_.schema.back().type;
    about.path_in_schema = {metadata_.schema.back().name};
    about.codec = static_cast<std::int32_t>(codec);
    about.num_values = group_.num_rows;
    about.data_page_offset = static_cast<std::int64_t>(bytes_.size());
    about.total_compressed_size = static_cast<std::int64_t>(head.size() + packed.size());
    parquet::ColumnChunk chunk;
    chunk.__set_meta_data(about);
    group_.columns.push_back(chunk);
    bytes_ += head;
    bytes_ += packed;
  }
  void plain(std::string_view values) { page(values, values.size()); }

  parquet::FileMetaData& metadata() { return metadata_; }
  parquet::RowGroup& group() { return group_; }

  std::string finished() {
    metadata_.schema[0].__set_num_children(static_cast<std::int32_t>(metadata_.schema.size() - 1));
    metadata_.row_groups = {group_};
    const std::string footer = detail::bytes_of(metadata_);
    std::string all = bytes_ + footer;
    detail::append_plain(all, static_cast<std::uint32_t>(footer.size()));
    return all + std::string(detail::parquet_mark);
  }

 private:
  std::string bytes_;
  parquet::FileMetaData metadata_;
  parquet::RowGroup group_;
};

}  // namespace zerobeat::testing
