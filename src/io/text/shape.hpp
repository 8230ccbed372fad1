/// The shape of a text: its delimiter, its header, and where its records begin.

#pragma once

#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/source/source_text.hpp"
#include "io/text/record_form.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Shape {
  RecordForm form{};
  char delimiter = ',';
  bool runs = false;  ///< of spaces and tabs stand between cells
  char quote = '"';   ///< '\0': no quoting
  std::vector<std::string> names{};
  std::size_t data_begin = 0;   ///< first byte after the header
  std::uint64_t data_line = 1;  ///< line that starts there
  std::uint64_t header_line = 1;
  std::vector<PreambleLine> preamble{};  ///< of untimed records
  std::int64_t passed_lines = 0;         ///< lines before the header that nobody said to pass over
};

/// Finds the shape in a text's head. Throws Error when it is no text with a header.
Shape find_shape(const SourceText& source, std::string_view head, const RecordForm& form,
                 const ReadOptions& options);

/// The byte after the line that `at` is in.
std::size_t after_line(std::string_view text, std::size_t at);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
