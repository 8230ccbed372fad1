#include "io/parquet/parquet_file.hpp"

#include <fmt/format.h>
#include <thrift/protocol/TCompactProtocol.h>
#include <thrift/transport/TBufferTransports.h>

#include <algorithm>
#include <memory>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

namespace {

using apache::thrift::transport::TMemoryBuffer;
using Protocol = apache::thrift::protocol::TCompactProtocolT<TMemoryBuffer>;

/// Reads a struct from the front of `bytes`, and returns how many were its.
template <typename Struct>
std::size_t read_struct(std::string_view bytes, Struct& out) {
  constexpr std::size_t most = 0x7fffffff;
  auto* const data = reinterpret_cast<std::uint8_t*>(const_cast<char*>(bytes.data()));
  const auto size = static_cast<std::uint32_t>(std::min(bytes.size(), most));
  const auto limits = std::make_shared<apache::thrift::TConfiguration>(static_cast<int>(most));
  const auto buffer = std::make_shared<TMemoryBuffer>(data, size, TMemoryBuffer::OBSERVE, limits);
  // No text and no list has more parts than there are bytes.
  Protocol protocol(buffer, static_cast<std::int32_t>(size), static_cast<std::int32_t>(size));
  return out.read(&protocol);
}

template <typename Struct>
std::string written(const Struct& value) {
  const auto buffer = std::make_shared<TMemoryBuffer>();
  Protocol protocol(buffer);
  value.write(&protocol);
  return buffer->getBufferAsString();
}

}  // namespace

ParquetFile::ParquetFile(const SourceText& text) : text_(text), bytes_(text.all()) {
  const std::string& name = text.name;
  constexpr std::size_t tail = 8;  // the metadata's size, and the mark
  const std::string_view mark =
      bytes_.size() < tail ? std::string_view() : bytes_.substr(bytes_.size() - 4);
  if (mark == "PARE" || bytes_.starts_with("PARE")) {
    fail_input("{}: is encrypted, which is not read; write it without", name);
  }
  if (bytes_.size() < parquet_mark.size() + tail || mark != parquet_mark) {
    fail_input("{}: byte {}: no Parquet file ends so; it was cut short, or is still being written",
               name, bytes_.size());
  }
  const auto size = little_endian<std::uint32_t>(bytes_.data() + bytes_.size() - tail);
  if (size > bytes_.size() - tail - parquet_mark.size()) {
    fail_input("{}: byte {}: its metadata are longer than the file; it is damaged", name,
               bytes_.size() - tail);
  }
  const std::size_t begin = bytes_.size() - tail - size;
  try {
    read_struct(bytes_.substr(begin, size), metadata_);
  } catch (const std::exception& fault) {
    fail_input("{}: byte {}: its metadata can't be read: {}", name, begin,
               shown(fault.what(), 200));
  }
  if (metadata_.__isset.encryption_algorithm) {
    fail_input("{}: its columns are encrypted, which is not read; write it without", name);
  }
  std::int64_t rows = 0;
  for (const auto& group : metadata_.row_groups) {
    if (group.num_rows < 0 || __builtin_add_overflow(rows, group.num_rows, &rows)) {
      fail_input("{}: a row group of an impossible number of rows; it is damaged", name);
    }
  }
}

std::string_view ParquetFile::chunk(const parquet::ColumnChunk& chunk) const {
  if (chunk.__isset.crypto_metadata) {
    fail_input("{}: its columns are encrypted, which is not read; write it without", name());
  }
  if (chunk.__isset.file_path && !chunk.file_path.empty()) {
    fail_input("{}: a column of it lies in another file, {}; read that", name(),
               shown(chunk.file_path));
  }
  const auto& about = chunk.meta_data;
  std::int64_t begin = about.data_page_offset;
  // Some writers put 0 where there is no dictionary.
  if (about.__isset.dictionary_page_offset && about.dictionary_page_offset > 0) {
    begin = std::min(begin, about.dictionary_page_offset);
  }
  const auto size = static_cast<std::int64_t>(bytes_.size());
  if (!chunk.__isset.meta_data || begin < 0 || about.total_compressed_size < 0 || begin > size ||
      about.total_compressed_size > size - begin) {
    fail_input("{}: a column lies outside of the file; it is damaged", name());
  }
  return bytes_.substr(static_cast<std::size_t>(begin),
                       static_cast<std::size_t>(about.total_compressed_size));
}

parquet::PageHeader take_page_header(std::string_view& bytes) {
  parquet::PageHeader header;
  try {
    const std::size_t size = read_struct(bytes, header);
    static_cast<void>(take_front(bytes, size));
  } catch (const DamagedPage&) {
    throw;
  } catch (const std::exception& fault) {
    throw DamagedPage(fmt::format("its header can't be read: {}", shown(fault.what(), 200)));
  }
  return header;
}

std::string bytes_of(const parquet::FileMetaData& metadata) { return written(metadata); }
std::string bytes_of(const parquet::PageHeader& header) { return written(header); }

}  // namespace zerobeat::detail
