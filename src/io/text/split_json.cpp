#include "io/text/split_json.hpp"

#include <simdjson.h>

#include <algorithm>
#include <cstring>
#include <unordered_map>
#include <zerobeat/base/error.hpp>

#include "io/text/json_array.hpp"
#include "io/text/json_shape.hpp"
#include "io/text/record_splitter.hpp"

namespace zerobeat::inline v1::detail {

namespace {

namespace json = simdjson::ondemand;

std::string_view without_space(std::string_view token) {
  constexpr std::string_view spaces = " \t\r\n";
  while (!token.empty() && spaces.find(token.back()) != std::string_view::npos) {
    token.remove_suffix(1);
  }
  return token;
}

/// Objects and arrays within one another go no deeper, so that no line can exhaust the stack.
constexpr int deepest = 64;

/// One value that is no object.
struct Scalar {
  std::string_view raw;   ///< as it stands, quotes and all
  std::string_view text;  ///< what it says; empty for null
  bool put_together = false;
  bool is_array = false;
};

/// Walks through an object and the objects in it. `put(name, scalar)` takes each value; of an array
/// its text. Returns false when it is not well formed, or nests too deep.
template <typename Put>
bool walk(json::object object, const char* end, int depth, std::string& prefix, Put& put) {
  if (depth > deepest) return false;
  for (auto member : object) {
    json::field field;
    if (std::move(member).get(field) != simdjson::SUCCESS) return false;
    std::string_view name;
    const char* const raw_key = field.key().raw();
    json::value value = field.value();
    const char* close = raw_key;
    while (*close != '"' && *close != '\\') ++close;
    if (*close == '"') {
      name = {raw_key, static_cast<std::size_t>(close - raw_key)};
    } else if (field.unescaped_key().get(name) != simdjson::SUCCESS) {
      return false;
    }
    const std::size_t before = prefix.size();
    json::json_type type{};
    if (value.type().get(type) != simdjson::SUCCESS) return false;
    if (type == json::json_type::object) {
      json::object inner;
      prefix += name;
      prefix += '.';
      if (value.get_object().get(inner) != simdjson::SUCCESS) return false;
      if (!walk(inner, end, depth + 1, prefix, put)) return false;
      prefix.resize(before);
      continue;
    }
    Scalar scalar;
    scalar.raw = without_space(value.raw_json_token());
    switch (type) {
      case json::json_type::array: {
        const char* const begin = scalar.raw.data();
        const std::size_t length =
            json_array_length({begin, static_cast<std::size_t>(end - begin)}, deepest - depth);
        if (length == 0) return false;
        scalar.raw = scalar.text = {begin, length};
        scalar.is_array = true;
        break;
      }
      case json::json_type::string:
        if (scalar.raw.size() < 2 || scalar.raw.back() != '"') return false;
        if (scalar.raw.find('\\') == std::string_view::npos) {
          scalar.text = scalar.raw.substr(1, scalar.raw.size() - 2);
        } else {
          if (value.get_string().get(scalar.text) != simdjson::SUCCESS) return false;
          scalar.put_together = true;
        }
        break;
      case json::json_type::null:
        if (scalar.raw != "null") return false;
        break;
      case json::json_type::boolean:
        if (scalar.raw != "true" && scalar.raw != "false") return false;
        scalar.text = scalar.raw;
        break;
      default:
        if (!is_json_number(scalar.raw)) return false;
        scalar.text = scalar.raw;
    }
    if (before == 0) {
      put(name, scalar);
    } else {
      prefix += name;
      put(std::string_view(prefix), scalar);
      prefix.resize(before);
    }
  }
  return true;
}

/// Parses lines, of which simdjson wants some bytes past the end.
class LineParser {
 public:
  enum class Result { object, broken, not_utf8 };

  /// `room` bytes after the line can be looked at. `moved_by` is what a pointer into the line is to
  /// be moved by, when the line had to be copied.
  template <typename Put>
  Result parse(std::string_view line, std::size_t room, std::ptrdiff_t& moved_by, Put&& put) {
    moved_by = 0;
    const char* at = line.data();
    if (room < simdjson::SIMDJSON_PADDING) {
      copy_.assign(line);
      copy_.append(simdjson::SIMDJSON_PADDING, ' ');
      moved_by = line.data() - copy_.data();
      at = copy_.data();
    }
    json::document document;
    const simdjson::padded_string_view padded(at, line.size(),
                                              line.size() + simdjson::SIMDJSON_PADDING);
    const auto error = parser_.iterate(padded).get(document);
    if (error == simdjson::UTF8_ERROR) return Result::not_utf8;
    json::object object;
    if (error != simdjson::SUCCESS || document.get_object().get(object) != simdjson::SUCCESS) {
      return Result::broken;
    }
    prefix_.clear();
    if (!walk(object, at + line.size(), 1, prefix_, put)) return Result::broken;
    const char* rest = nullptr;
    const bool ended = document.current_location().get(rest) != simdjson::SUCCESS;
    return ended ? Result::object : Result::broken;
  }

 private:
  json::parser parser_;
  std::string copy_;
  std::string prefix_;
};

LineParser& own_parser() {
  thread_local LineParser parser;
  return parser;
}

/// Which cell a name is. Objects of a source have their names in one order, mostly.
class CellNames {
 public:
  explicit CellNames(const std::vector<std::string>& names) : names_(names) {
    for (std::size_t i = 0; i < names.size(); ++i) places_[names[i]] = i;
  }

  std::size_t find(std::string_view name) {
    if (next_ < names_.size() && names_[next_] == name) return next_++;
    const auto at = places_.find(name);
    if (at == places_.end()) return absent_cell;
    next_ = at->second + 1;
    return at->second;
  }
  void begin_record() { next_ = 0; }

 private:
  const std::vector<std::string>& names_;
  std::unordered_map<std::string_view, std::size_t> places_;
  std::size_t next_ = 0;
};

/// The last few shapes that lines had, the one that fitted last first.
class KnownShapes {
 public:
  /// The length of the line that `text` begins with; 0 when it is of no known shape.
  std::size_t split(std::string_view text, const char* base, std::size_t cells,
                    SpanCells::Span* spans, std::uint32_t begin) {
    for (std::size_t i = 0; i < shapes_.size(); ++i) {
      const JsonShape& shape = shapes_[i];
      if (shape.cells() != cells) set_absent(spans, cells, text.data(), begin);
      if (const std::size_t length = shape.split(text, base, spans); length != 0) {
        if (i != 0) std::swap(shapes_[0], shapes_[i]);
        return length;
      }
    }
    return 0;
  }

  void learn(std::string_view line, const std::vector<JsonShape::Value>& values) {
    if (shapes_.size() < 4) shapes_.emplace_back();
    std::swap(shapes_.front(), shapes_.back());
    shapes_.front().learn(line, values);
  }

  /// All cells of a record as absent ones.
  static void set_absent(SpanCells::Span* spans, std::size_t cells, const char* at,
                         std::uint32_t begin) {
    std::fill_n(spans, cells, SpanCells::Span{at, 0, 0, begin});
  }

 private:
  std::vector<JsonShape> shapes_;
};

}  // namespace

void split_json(const Stretch& stretch, SpanCells& cells) {
  const Layout& layout = stretch.layout;
  Chunk& chunk = stretch.chunk;
  const std::string_view text = stretch.text;
  const char* const base = text.data() + stretch.begin;
  LineParser& parser = own_parser();
  CellNames names(layout.cell_names);
  KnownShapes shapes;
  std::vector<JsonShape::Value> values;
  std::uint64_t line_number = 0;
  std::size_t at = stretch.begin;
  std::set<std::string> unknown;
  bool any_array = false;
  for (; at < stretch.end; ++line_number) {
    const std::size_t begin = at;
    const auto start = static_cast<std::uint32_t>(begin - stretch.begin);
    SpanCells::Span* const spans = cells.next();
    if (!layout.comment) {
      const std::string_view rest = text.substr(begin, stretch.end - begin);
      const std::size_t length = shapes.split(rest, base, layout.cells, spans, start);
      if (length != 0) {
        ++chunk.records;
        cells.add(static_cast<std::uint32_t>(line_number), start,
                  static_cast<std::uint32_t>(length));
        at = begin + length;
        if (at != stretch.end && text[at] == '\r') ++at;
        if (at != stretch.end) ++at;
        continue;
      }
    }
    const void* const newline = std::memchr(text.data() + at, '\n', stretch.end - at);
    const std::size_t stop =
        newline == nullptr
            ? stretch.end
            : static_cast<std::size_t>(static_cast<const char*>(newline) - text.data());
    at = std::min(stop + 1, stretch.end);
    const std::string_view line = without_return(text.substr(begin, stop - begin));
    if (is_blank(line, ',') || (layout.comment && line.front() == *layout.comment)) continue;

    KnownShapes::set_absent(spans, layout.cells, line.data() + line.size(), start);
    names.begin_record();
    unknown.clear();
    values.clear();
    any_array = false;
    std::ptrdiff_t moved_by = 0;
    const auto put = [&](std::string_view name, const Scalar& scalar) {
      any_array |= scalar.is_array;
      const std::size_t cell = names.find(name);
      if (cell == absent_cell) {
        unknown.emplace(name);
        return;
      }
      const char* const raw = scalar.raw.data() + moved_by;
      std::string_view said(raw, 0);
      if (!scalar.text.empty() && !scalar.put_together) {
        said = {scalar.text.data() + moved_by, scalar.text.size()};
      }
      if (scalar.put_together) {
        auto& kept = chunk.unquoted.emplace_back(8, ' ');
        kept += scalar.text;
        said = std::string_view(kept).substr(8);
      }
      spans[cell] = {said.data(), static_cast<std::uint32_t>(said.size()),
                     static_cast<std::uint32_t>(scalar.raw.size()),
                     static_cast<std::uint32_t>(raw - base)};
      values.push_back({static_cast<std::size_t>(raw - line.data()), scalar.raw.size(), cell});
    };
    const auto result = parser.parse(line, text.size() - begin - line.size(), moved_by, put);
    ++chunk.records;
    if (result == LineParser::Result::object) {
      cells.add(static_cast<std::uint32_t>(line_number), start,
                static_cast<std::uint32_t>(line.size()));
      // A line with escapes is of no shape, and may be of one that is known but for them; nor is
      // one with arrays.
      if (unknown.empty() && !any_array && line.find('\\') == std::string_view::npos)
        shapes.learn(line, values);
      chunk.further_names.insert(unknown.begin(), unknown.end());
      continue;
    }
    chunk.faults.push_back(
        {line_number, begin, line.size(), -1,
         result == LineParser::Result::not_utf8 ? Reason::bad_encoding : Reason::broken_record});
  }
  chunk.lines = line_number;
  chunk.end = stretch.end;
}

void add_json_names(std::string_view line, std::vector<std::string>& names) {
  while (!line.empty() && static_cast<unsigned char>(line.back()) <= ' ') line.remove_suffix(1);
  std::vector<std::string> own;
  std::ptrdiff_t moved_by = 0;
  const auto put = [&](std::string_view name, const Scalar&) { own.emplace_back(name); };
  if (own_parser().parse(line, 0, moved_by, put) != LineParser::Result::object) return;
  for (auto& name : own) {
    if (std::ranges::find(names, name) == names.end()) names.push_back(std::move(name));
  }
}

bool read_loose_json(std::string_view line, const std::vector<std::string>& names,
                     std::vector<std::string>& cells) {
  while (!line.empty() && static_cast<unsigned char>(line.back()) <= ' ') line.remove_suffix(1);
  cells.assign(names.size(), "");
  std::ptrdiff_t moved_by = 0;
  const auto put = [&](std::string_view name, const Scalar& scalar) {
    const auto at = std::ranges::find(names, name);
    if (at != names.end()) cells[static_cast<std::size_t>(at - names.begin())] = scalar.text;
  };
  return own_parser().parse(line, 0, moved_by, put) == LineParser::Result::object;
}

}  // namespace zerobeat::detail
