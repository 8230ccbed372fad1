#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/arrow_data.hpp>

namespace zerobeat::inline v1 {

namespace {

/// Takes a struct over from whoever filled it, and releases it in the end.
template <typename Struct>
std::shared_ptr<Struct> taken_over(Struct* given) {
  auto* const held = new Struct(*given);
  given->release = nullptr;
  return std::shared_ptr<Struct>(held, [](Struct* own) {
    if (own->release != nullptr) own->release(own);
    delete own;
  });
}

/// One column as it stands in the other library's memory.
struct Foreign {
  const ArrowSchema& schema;
  const ArrowArray& array;
  std::shared_ptr<const void> owner;
  std::string name;
  std::size_t first;  ///< its first row in the buffers
  std::size_t rows;

  std::string_view format() const { return schema.format; }
  const void* buffer(std::int64_t number) const {
    if (number >= array.n_buffers) {
      fail_usage("column \"{}\": has {} buffers, and its type {} more", shown(name),
                 array.n_buffers, format());
    }
    const void* const at = array.buffers[number];
    if (at == nullptr && rows > 0) fail_usage("column \"{}\": a buffer is absent", shown(name));
    return at;
  }
  template <typename T>
  std::span<const T> values() const {
    if (rows == 0) return {};
    return {static_cast<const T*>(buffer(1)) + first, rows};
  }
};

bool bit_at(const void* bits, std::size_t i) {
  return (static_cast<const unsigned char*>(bits)[i / 8] >> (i % 8) & 1) != 0;
}

/// Which rows have a reading: by the column's own bits, and by those of the rows.
Validity validity_of(const Foreign& column, const std::vector<bool>& row_is_there) {
  const bool has_bits = column.array.n_buffers > 0 && column.array.buffers[0] != nullptr &&
                        column.array.null_count != 0;
  if (!has_bits && row_is_there.empty()) return {};
  ValidityBuilder there(column.rows);
  for (std::size_t i = 0; i < column.rows; ++i) {
    const bool row = row_is_there.empty() || row_is_there[i];
    const bool own = !has_bits || bit_at(column.array.buffers[0], column.first + i);
    if (!row || !own) there.set_missing(i);
  }
  return there.take();
}

/// Whole numbers of any width, as int64; numbers beyond it are refused.
template <typename T>
Column widened(const Foreign& column, Validity validity) {
  Buffer<std::int64_t> out(column.rows);
  const auto values = column.values<T>();
  for (std::size_t i = 0; i < column.rows; ++i) {
    if (!validity[i]) {
      out[i] = 0;
      continue;
    }
    if (!std::in_range<std::int64_t>(values[i])) {
      fail_usage("column \"{}\": row {}: {} is beyond the whole numbers of 64 bits with a sign",
                 shown(column.name), i, values[i]);
    }
    out[i] = static_cast<std::int64_t>(values[i]);
  }
  return Column::integers(std::move(out), std::move(validity));
}

/// Times of a coarser unit, as nanoseconds.
template <typename T>
Column scaled_times(const Foreign& column, Validity validity, std::int64_t unit) {
  Buffer<Instant> out(column.rows);
  const auto values = column.values<T>();
  const std::int64_t most = std::numeric_limits<std::int64_t>::max() / unit;
  for (std::size_t i = 0; i < column.rows; ++i) {
    const std::int64_t value = validity[i] ? values[i] : 0;
    if (value > most || value < -most) {
      fail_usage("column \"{}\": row {}: a time is before 1678 or after 2261", shown(column.name),
                 i);
    }
    out[i] = instant_of(value * unit);
  }
  return Column::times(std::move(out), std::move(validity));
}

/// The texts of a column of offsets and letters, from its first row on.
template <typename Offset>
std::vector<std::string> texts_of(const Foreign& column, const Validity& validity) {
  std::vector<std::string> texts(column.rows);
  if (column.rows == 0) return texts;
  const auto* const offsets = static_cast<const Offset*>(column.buffer(1)) + column.first;
  const auto* const letters =
      static_cast<const char*>(column.array.n_buffers > 2 ? column.array.buffers[2] : nullptr);
  for (std::size_t i = 0; i < column.rows; ++i) {
    if (!validity[i]) continue;
    if (offsets[i] < 0 || offsets[i + 1] < offsets[i]) {
      fail_usage("column \"{}\": row {}: its text ends before it begins", shown(column.name), i);
    }
    const auto length = static_cast<std::size_t>(offsets[i + 1] - offsets[i]);
    if (length > 0 && letters == nullptr) {
      fail_usage("column \"{}\": a buffer is absent", shown(column.name));
    }
    if (length > 0) texts[i].assign(letters + offsets[i], length);
  }
  return texts;
}

/// A column of these texts, each once in its dictionary.
Column text_column(const std::vector<std::string>& texts, Validity validity) {
  const Column all(texts);
  const auto codes = all.codes();
  return Column::text(Buffer<std::int32_t>(codes),
                      std::make_shared<const Column::Dictionary>(all.dictionary()),
                      std::move(validity));
}

/// Codes of any width into a dictionary; words that it has twice become one.
template <typename T>
Column decoded(const Foreign& column, const std::vector<std::string>& words,
               const Validity& validity) {
  const Column distinct(words);
  const auto place_of = distinct.codes();
  const auto codes = column.values<T>();
  Buffer<std::int32_t> out(column.rows);
  for (std::size_t i = 0; i < column.rows; ++i) {
    out[i] = 0;
    if (!validity[i]) continue;
    if (!std::in_range<std::size_t>(codes[i]) ||
        static_cast<std::size_t>(codes[i]) >= words.size()) {
      fail_usage("column \"{}\": row {}: code {} is beyond its dictionary of {} texts",
                 shown(column.name), i, codes[i], words.size());
    }
    out[i] = place_of[static_cast<std::size_t>(codes[i])];
  }
  return Column::text(std::move(out),
                      std::make_shared<const Column::Dictionary>(distinct.dictionary()), validity);
}

Column booleans_of(const Foreign& column, Validity validity) {
  Buffer<std::uint64_t> bits((column.rows + 63) / 64, 0);
  for (std::size_t i = 0; i < column.rows; ++i) {
    bits[i / 64] |= std::uint64_t{bit_at(column.buffer(1), column.first + i)} << (i % 64);
  }
  return Column::booleans(std::move(bits), column.rows, std::move(validity));
}

[[noreturn]] void refuse(const Foreign& column) {
  fail_usage("column \"{}\" is of Arrow's type \"{}\", which is no reading; leave it out",
             shown(column.name), shown(column.format()));
}

std::vector<std::string> words_of(const Foreign& column) {
  const ArrowSchema& schema = *column.schema.dictionary;
  if (column.array.dictionary == nullptr) {
    fail_usage("column \"{}\": its dictionary is absent", shown(column.name));
  }
  const ArrowArray& array = *column.array.dictionary;
  const Foreign words{schema,
                      array,
                      column.owner,
                      column.name,
                      static_cast<std::size_t>(array.offset),
                      static_cast<std::size_t>(array.length)};
  if (words.format() == "u") return texts_of<std::int32_t>(words, validity_of(words, {}));
  if (words.format() == "U") return texts_of<std::int64_t>(words, validity_of(words, {}));
  refuse(words);
}

/// Calls with a value of the type that a format of whole numbers has; false for another format.
template <typename Call>
bool with_whole_type(std::string_view format, Call&& call) {
  if (format.size() != 1) return false;
  switch (format[0]) {
    case 'c':
      return call(std::int8_t{}), true;
    case 'C':
      return call(std::uint8_t{}), true;
    case 's':
      return call(std::int16_t{}), true;
    case 'S':
      return call(std::uint16_t{}), true;
    case 'i':
      return call(std::int32_t{}), true;
    case 'I':
      return call(std::uint32_t{}), true;
    case 'l':
      return call(std::int64_t{}), true;
    case 'L':
      return call(std::uint64_t{}), true;
    default:
      return false;
  }
}

Column column_of(const Foreign& column, Validity validity) {
  const std::string_view format = column.format();
  constexpr std::int64_t second = 1'000'000'000;
  Column made;
  if (column.schema.dictionary != nullptr) {
    const auto words = words_of(column);
    const bool known = with_whole_type(
        format, [&](auto type) { made = decoded<decltype(type)>(column, words, validity); });
    if (!known) refuse(column);
    return made;
  }
  if (format == "g") {
    return Column(borrow(column.values<double>(), column.owner), std::move(validity));
  }
  if (format == "l") {
    return Column(borrow(column.values<std::int64_t>(), column.owner), std::move(validity));
  }
  if (format == "f") {
    const auto values = column.values<float>();
    Buffer<double> out(column.rows);
    std::copy(values.begin(), values.end(), out.begin());
    return Column::numbers(std::move(out), std::move(validity));
  }
  if (format == "b") return booleans_of(column, std::move(validity));
  if (format == "u") {
    const auto texts = texts_of<std::int32_t>(column, validity);
    return text_column(texts, std::move(validity));
  }
  if (format == "U") {
    const auto texts = texts_of<std::int64_t>(column, validity);
    return text_column(texts, std::move(validity));
  }
  if (format == "n") {
    Buffer<std::uint64_t> none((column.rows + 63) / 64, 0);
    return Column::numbers(Buffer<double>(column.rows, 0), Validity(std::move(none), column.rows));
  }
  if (format.starts_with("tsn:")) {
    return Column(borrow(column.values<Instant>(), column.owner), std::move(validity));
  }
  if (format.starts_with("tsu:")) {
    return scaled_times<std::int64_t>(column, std::move(validity), 1'000);
  }
  if (format.starts_with("tsm:") || format == "tdm") {
    return scaled_times<std::int64_t>(column, std::move(validity), 1'000'000);
  }
  if (format.starts_with("tss:")) {
    return scaled_times<std::int64_t>(column, std::move(validity), second);
  }
  if (format == "tdD") {
    return scaled_times<std::int32_t>(column, std::move(validity), 86'400 * second);
  }
  const bool known = with_whole_type(
      format, [&](auto type) { made = widened<decltype(type)>(column, std::move(validity)); });
  if (!known) refuse(column);
  return made;
}

void check_length(const ArrowArray& array, std::int64_t least, const std::string& name) {
  if (array.length < least || array.offset < 0) {
    fail_usage("column \"{}\": has {} rows where the others have {}", shown(name), array.length,
               least);
  }
}

}  // namespace

Table import_arrow(ArrowSchema* schema, ArrowArray* array) {
  if (schema == nullptr || array == nullptr || schema->release == nullptr ||
      array->release == nullptr) {
    fail_usage("import_arrow: both structs are filled in, and not yet released");
  }
  const auto schemas = taken_over(schema);
  const auto arrays = taken_over(array);
  const auto rows = static_cast<std::size_t>(std::max<std::int64_t>(0, arrays->length));
  const auto first = static_cast<std::size_t>(std::max<std::int64_t>(0, arrays->offset));
  const auto name_of = [](const ArrowSchema& one, std::size_t number) {
    const bool named = one.name != nullptr && *one.name != '\0';
    return named ? std::string(one.name) : fmt::format("c{}", number);
  };
  Table table(rows);
  if (std::string_view(schemas->format) != "+s") {
    const std::string name = name_of(*schemas, 1);
    const Foreign column{*schemas, *arrays, arrays, name, first, rows};
    table.add(name, column_of(column, validity_of(column, {})));
    return table;
  }
  if (schemas->n_children != arrays->n_children) {
    fail_usage("import_arrow: the schema has {} columns, and the array {}", schemas->n_children,
               arrays->n_children);
  }
  std::vector<bool> row_is_there;
  if (arrays->n_buffers > 0 && arrays->buffers[0] != nullptr && arrays->null_count != 0) {
    for (std::size_t i = 0; i < rows; ++i) {
      row_is_there.push_back(bit_at(arrays->buffers[0], first + i));
    }
  }
  for (std::int64_t c = 0; c < schemas->n_children; ++c) {
    const ArrowSchema& child_schema = *schemas->children[c];
    const ArrowArray& child = *arrays->children[c];
    const std::string name = name_of(child_schema, static_cast<std::size_t>(c) + 1);
    check_length(child, static_cast<std::int64_t>(first + rows), name);
    const Foreign column{
        child_schema, child, arrays, name, first + static_cast<std::size_t>(child.offset), rows};
    table.add(name, column_of(column, validity_of(column, row_is_there)));
  }
  return table;
}

}  // namespace zerobeat
