#include "io/text/found_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <unordered_map>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "io/text/cell_table.hpp"
#include "io/text/samples.hpp"
#include "io/text/split_json.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The names in JSON lines, from all over a text.
void find_json_names(std::string_view text, Shape& shape) {
  constexpr std::size_t spots = 48, each = 100;
  const std::size_t size = text.size() - shape.data_begin;
  for (std::size_t spot = 0; spot < spots; ++spot) {
    std::size_t at = shape.data_begin + size / spots * spot;
    if (spot > 0) at = after_line(text, at);
    for (std::size_t n = 0; n < each && at < text.size(); ++n) {
      const std::size_t end = after_line(text, at);
      add_json_names(text.substr(at, end - at), shape.names);
      at = end;
    }
  }
}

/// Whether a part begins with the very header that the part before begins with, as daily files do:
/// then its shape is the same.
bool has_header_of(std::string_view head, const RecordForm& form, const SourceText& before,
                   const FoundPart& found) {
  const Shape& shape = found.shape;
  const bool first_line = shape.header_line == 1 && shape.data_line == 2;
  if (form.named || form != shape.form || !first_line) return false;
  const std::string_view header = before.until(shape.data_begin).substr(0, shape.data_begin);
  return head.starts_with(header);
}

}  // namespace

void find_parts(const OpenSource& source, const ReadOptions& options, const FurtherNames& further,
                FoundLayout& found) {
  for (std::size_t i = 0; i < source.parts.size(); ++i) {
    const Part& part = source.parts[i];
    FoundPart& found_part = found.parts.emplace_back();
    if (part.rows) {
      for (const RowColumn& column : part.rows->columns)
        found_part.shape.names.push_back(column.name);
      if (found_part.shape.names.empty()) fail_input("{}: has no columns", part.name);
      continue;
    }
    const std::string_view head =
        part.text.stream ? part.text.until(head_bytes).substr(0, head_bytes) : part.text.text;
    const FoundPart* const before = i > 0 ? &found.parts[i - 1] : nullptr;
    if (before != nullptr && !source.parts[i - 1].rows &&
        has_header_of(head, part.form, source.parts[i - 1].text, *before)) {
      found_part.shape = before->shape;
      continue;
    }
    found_part.shape = find_shape(part.text, head, part.form, options);
    if (!found_part.shape.form.named) continue;
    find_json_names(head, found_part.shape);
    if (i < further.size()) {
      for (const auto& name : further[i]) {
        if (std::ranges::find(found_part.shape.names, name) == found_part.shape.names.end()) {
          found_part.shape.names.push_back(name);
        }
      }
    }
    if (found_part.shape.names.empty()) {
      fail_input("{}: its first lines are no JSON objects; JSON lines have one on each line",
                 part.name);
    }
  }
  std::unordered_map<std::string, std::size_t> places;
  for (FoundPart& part : found.parts) {
    for (const auto& name : part.shape.names) {
      if (places.try_emplace(name, found.names.size()).second) found.names.push_back(name);
    }
  }
  for (FoundPart& part : found.parts) {
    part.cells.assign(found.names.size(), absent_cell);
    for (std::size_t cell = 0; cell < part.shape.names.size(); ++cell) {
      part.cells[places.at(part.shape.names[cell])] = cell;
    }
  }
}

/// Columns that some files lack, and under which other name those files may have them.
void note_absent(const OpenSource& source, FoundLayout& found) {
  std::map<std::vector<bool>, std::vector<std::size_t>> by_files;  // those that lack them
  std::vector<std::vector<bool>> lacks(found.names.size());
  for (std::size_t column = 0; column < found.names.size(); ++column) {
    for (const auto& part : found.parts) {
      lacks[column].push_back(part.cells[column] == absent_cell);
    }
    by_files[lacks[column]].push_back(column);
  }
  for (std::size_t column = 0; column < found.names.size(); ++column) {
    const auto lack = std::ranges::count(lacks[column], true);
    if (lack == 0) continue;
    const auto first = std::ranges::find(lacks[column], true) - lacks[column].begin();
    const std::string& file = source.parts[static_cast<std::size_t>(first)].name;
    std::string text = fmt::format(
        "of {} files have no column \"{}\", {} the first; its readings are missing there; see "
        "‹columns›",
        grouped(static_cast<std::int64_t>(found.parts.size())), found.names[column], file);
    // Renamed, perhaps: one other column stands in just the files that lack this one.
    std::vector<bool> others = lacks[column];
    others.flip();
    const auto other = by_files.find(others);
    if (other != by_files.end() && other->second.size() == 1 &&
        by_files[lacks[column]].size() == 1) {
      text += fmt::format(
          "; those have \"{}\", which the others lack: if it is the same, coalesce() makes one of "
          "the two",
          found.names[other->second.front()]);
    }
    found.findings.push_back({"column-absent", lack, 0, std::move(text), file});
  }
}

void note_parts(const OpenSource& source, FoundLayout& found) {
  const bool several = found.parts.size() > 1;
  for (std::size_t i = 0; i < found.parts.size(); ++i) {
    const Shape& shape = found.parts[i].shape;
    const std::string file = several ? source.parts[i].name : "";
    if (source.parts[i].returns > 0) {
      found.findings.push_back({"line-ends", source.parts[i].returns, 1,
                                "lines that end in returns alone; they were read so", file});
    }
    if (shape.passed_lines > 0) {
      found.findings.push_back(
          {"preamble", shape.passed_lines, shape.header_line - 1,
           fmt::format("lines before the header, which is line {}; they were passed over, as "
                       "‹skip_lines› {} says",
                       shape.header_line, shape.header_line - 1),
           file});
      found.findings.back().first_line = 1;
    }
  }
  note_absent(source, found);
}

}  // namespace zerobeat::detail
