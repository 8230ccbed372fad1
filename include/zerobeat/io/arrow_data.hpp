/// Columns handed to another library in this process without a copy, through the Arrow C data
/// interface: two structs of its public specification, and who releases what.
///
/// Threads may call these at the same time, each with outputs of its own.

#pragma once

#include <cstdint>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

#ifndef ARROW_C_DATA_INTERFACE
#define ARROW_C_DATA_INTERFACE

#define ARROW_FLAG_DICTIONARY_ORDERED 1
#define ARROW_FLAG_NULLABLE 2
#define ARROW_FLAG_MAP_KEYS_SORTED 4

extern "C" {

struct ArrowSchema {
  const char* format;
  const char* name;
  const char* metadata;
  std::int64_t flags;
  std::int64_t n_children;
  struct ArrowSchema** children;
  struct ArrowSchema* dictionary;
  void (*release)(struct ArrowSchema*);
  void* private_data;
};

struct ArrowArray {
  std::int64_t length;
  std::int64_t null_count;
  std::int64_t offset;
  std::int64_t n_buffers;
  std::int64_t n_children;
  const void** buffers;
  struct ArrowArray** children;
  struct ArrowArray* dictionary;
  void (*release)(struct ArrowArray*);
  void* private_data;
};

}  // extern "C"

#endif  // ARROW_C_DATA_INTERFACE

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Fills both structs with a struct of the timeline's columns: its time (nanoseconds in UTC, with
/// the timeline's zone when `local`; on an elapsed axis numbers), its key's columns, its values.
///
/// Readings and validity are those of the timeline, and stay until both structs were released by
/// whoever took them, however long the timeline itself lives. Text is dictionary-encoded; its words
/// are copied, its codes are not. Cost: that of the words, and 4 bytes a row for each key column.
/// Throws Error when a column's words are more than 2 GiB; then nothing is to be released.
void export_arrow(const Timeline& timeline, ArrowSchema* schema, ArrowArray* array,
                  bool local = false);

/// The same of a table.
void export_arrow(const Table& table, ArrowSchema* schema, ArrowArray* array,
                  const Zone& zone = {});

/// A table of the columns of a struct, or of one column, that another library hands over: the
/// inverse of export_arrow().
///
/// Takes both structs over, whatever comes of it: their `release` is null afterwards, and what they
/// hold is released when the last column that needs it is gone. Float64, Int64 and timestamps in
/// nanoseconds with a zone are not copied (but for numbers behind whose missing readings there is
/// something else than 0); other widths, booleans, texts and dictionaries' codes are. A column
/// without a name is c1, c2 and so on.
/// Throws Error of kind usage when a column is of another type, or its buffers are not whole.
/// Cost: a pass over each validity, and over what is copied.
[[nodiscard]] Table import_arrow(ArrowSchema* schema, ArrowArray* array);

}  // namespace v1
}  // namespace zerobeat
