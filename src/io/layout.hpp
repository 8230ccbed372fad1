/// Finding out how a source is laid out: its delimiter, its header, where its
/// times are and how they are written, and which columns hold numbers.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/io/read.hpp>

#include "io/chunk.hpp"
#include "io/record_splitter.hpp"
#include "io/source_text.hpp"

namespace zerobeat::detail {

struct FoundLayout {
  Layout layout;
  std::vector<std::string> names;          ///< of all columns, as in the header
  std::vector<std::string> fault_columns;  ///< names that faults refer to
  std::string time_name;                   ///< DAY+CLOCK when it is two columns
  std::size_t data_begin = 0;              ///< first byte after the header
  std::uint64_t data_line = 1;             ///< line that starts there
  std::vector<PreambleLine> preamble{};    ///< of untimed records
  bool format_found = false;               ///< the time format was found, not told
  std::vector<std::string> time_samples;
};

/// Throws Error when the source is not text with a header, or has no time column.
FoundLayout find_layout(const SourceText& source, const ReadOptions& options,
                        const MissingWords& missing_words);

}  // namespace zerobeat::detail
