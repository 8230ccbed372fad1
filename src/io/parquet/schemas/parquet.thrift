// The metadata of Parquet files, as far as they are read and written here, from the format's public
// specification (apache/parquet-format, version 2.10). Enumerations are i32: in the compact
// protocol they are the same, and a value that is not known yet is no undefined behaviour.

namespace cpp zerobeat.parquet

struct Statistics {
  1: optional binary max
  2: optional binary min
  3: optional i64 null_count
  5: optional binary max_value
  6: optional binary min_value
}

struct Empty {}

struct DecimalType {
  1: required i32 scale
  2: required i32 precision
}

union TimeUnit {
  1: Empty millis
  2: Empty micros
  3: Empty nanos
}

struct TimeType {
  1: required bool is_adjusted_to_utc
  2: required TimeUnit unit
}

struct IntType {
  1: required i8 bit_width
  2: required bool is_signed
}

union LogicalType {
  1: Empty text
  2: Empty a_map
  3: Empty a_list
  4: Empty enumeration
  5: DecimalType decimal
  6: Empty date
  7: TimeType time
  8: TimeType timestamp
  10: IntType integer
  11: Empty nothing
  12: Empty json
  13: Empty bson
  14: Empty uuid
  15: Empty half
}

struct SchemaElement {
  1: optional i32 type
  2: optional i32 type_length
  3: optional i32 repetition_type
  4: required string name
  5: optional i32 num_children
  6: optional i32 converted_type
  7: optional i32 scale
  8: optional i32 precision
  10: optional LogicalType logical_type
}

struct DataPageHeader {
  1: required i32 num_values
  2: required i32 encoding
  3: required i32 definition_level_encoding
  4: required i32 repetition_level_encoding
}

struct DictionaryPageHeader {
  1: required i32 num_values
  2: required i32 encoding
}

struct DataPageHeaderV2 {
  1: required i32 num_values
  2: required i32 num_nulls
  3: required i32 num_rows
  4: required i32 encoding
  5: required i32 definition_levels_byte_length
  6: required i32 repetition_levels_byte_length
  7: optional bool is_compressed = true
}

struct PageHeader {
  1: required i32 type
  2: required i32 uncompressed_page_size
  3: required i32 compressed_page_size
  4: optional i32 crc
  5: optional DataPageHeader data_page_header
  7: optional DictionaryPageHeader dictionary_page_header
  8: optional DataPageHeaderV2 data_page_header_v2
}

struct ColumnMetaData {
  1: required i32 type
  2: required list<i32> encodings
  3: required list<string> path_in_schema
  4: required i32 codec
  5: required i64 num_values
  6: required i64 total_uncompressed_size
  7: required i64 total_compressed_size
  9: required i64 data_page_offset
  11: optional i64 dictionary_page_offset
  12: optional Statistics statistics
}

struct ColumnChunk {
  1: optional string file_path
  2: required i64 file_offset
  3: optional ColumnMetaData meta_data
  8: optional Empty crypto_metadata
}

struct RowGroup {
  1: required list<ColumnChunk> columns
  2: required i64 total_byte_size
  3: required i64 num_rows
}

union ColumnOrder {
  1: Empty type_order
}

struct FileMetaData {
  1: required i32 version
  2: required list<SchemaElement> schema
  3: required i64 num_rows
  4: required list<RowGroup> row_groups
  6: optional string created_by
  7: optional list<ColumnOrder> column_orders
  8: optional Empty encryption_algorithm
}
