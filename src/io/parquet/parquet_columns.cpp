#include "io/parquet/parquet_columns.hpp"

#include <fmt/format.h>
#include <parquet_types.h>

#include <algorithm>
#include <array>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

#include "io/judge/asked_columns.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using parquet::SchemaElement;

/// The older words for types (ConvertedType), by their numbers.
enum class Converted : std::int32_t {
  none = -1,
  utf8 = 0,
  map = 1,
  map_key_value = 2,
  list = 3,
  enumeration = 4,
  decimal = 5,
  date = 6,
  time_millis = 7,
  time_micros = 8,
  timestamp_millis = 9,
  timestamp_micros = 10,
  uint_8 = 11,
  uint_16 = 12,
  uint_32 = 13,
  uint_64 = 14,
  int_8 = 15,
  int_64 = 18,
  json = 19,
  bson = 20,
  interval = 21,
};

constexpr std::int64_t nanoseconds_of_day = std::int64_t{86'400} * 1'000'000'000;

std::string physical_name(Physical type) {
  constexpr std::array<std::string_view, 8> names{
      "BOOLEAN", "INT32",  "INT64",      "INT96",
      "FLOAT",   "DOUBLE", "BYTE_ARRAY", "FIXED_LEN_BYTE_ARRAY"};
  const auto number = static_cast<std::size_t>(type);
  return number < names.size() ? std::string(names[number]) : fmt::format("type {}", number);
}

class SchemaReader {
 public:
  SchemaReader(const parquet::FileMetaData& metadata, const std::string& source,
               const ReadOptions& options)
      : schema_(metadata.schema), source_(source), options_(options) {}

  std::vector<ParquetColumn> read() {
    if (schema_.empty()) fail("has no root");
    const std::int32_t children = schema_[0].num_children;
    next_ = 1;
    for (std::int32_t i = 0; i < children; ++i) read_element("", 0, 0);
    if (next_ != schema_.size()) fail("has more elements than it says");
    std::vector<std::string> names;
    for (const ParquetColumn& column : columns_) names.push_back(column.column.name);
    check_unique(names, source_);
    return std::move(columns_);
  }

 private:
  [[noreturn]] void fail(const std::string& what) const {
    fail_input("{}: the schema of the file {}; it is damaged", source_, what);
  }

  static Converted converted_of(const SchemaElement& element) {
    return element.__isset.converted_type ? static_cast<Converted>(element.converted_type)
                                          : Converted::none;
  }

  /// Reads an element and what lies under it. `level` is that of its parent.
  void read_element(const std::string& parent, unsigned level, int depth) {
    constexpr int deepest = 64;
    if (depth > deepest) fail("lies too deep within itself");
    if (next_ >= schema_.size()) fail("has fewer elements than it says");
    const SchemaElement& element = schema_[next_++];
    std::string name = element.name;
    if (name.empty()) name = fmt::format("c{}", columns_.size() + 1);
    const std::string path = parent.empty() ? name : parent + "." + name;
    constexpr std::int32_t optional = 1, repeated = 2;
    const Converted converted = converted_of(element);
    const auto& logical = element.logical_type;
    const bool is_map = converted == Converted::map || converted == Converted::map_key_value ||
                        (element.__isset.logical_type && logical.__isset.a_map);
    const bool is_list =
        converted == Converted::list || (element.__isset.logical_type && logical.__isset.a_list);
    if (element.repetition_type == optional) ++level;
    if (element.repetition_type == repeated || is_map || is_list) {
      refuse(path, is_map ? "MAP" : is_list ? "LIST" : "a repeated field");
      leaves_ += leaves_under(element, depth);
      return;
    }
    if (element.num_children > 0) {
      for (std::int32_t i = 0; i < element.num_children; ++i) read_element(path, level, depth + 1);
      return;
    }
    if (!element.__isset.type) return;  // a group of nothing
    read_leaf(element, path, level);
  }

  /// Passes over all that lies under an element whose columns are none.
  std::size_t leaves_under(const SchemaElement& element, int depth) {
    constexpr int deepest = 64;
    if (depth > deepest) fail("lies too deep within itself");
    if (element.num_children <= 0) return element.__isset.type ? 1 : 0;
    std::size_t count = 0;
    for (std::int32_t i = 0; i < element.num_children; ++i) {
      if (next_ >= schema_.size()) fail("has fewer elements than it says");
      const SchemaElement& child = schema_[next_++];
      count += leaves_under(child, depth + 1);
    }
    return count;
  }

  void refuse(const std::string& name, const std::string& type) {
    ParquetColumn column;
    column.column.name = name;
    column.refused = type;
    take(std::move(column));
  }

  void take(ParquetColumn column) {
    const bool asked = is_asked_for(column.column.name, options_);
    if (!column.refused.empty() && asked) {
      fail_input(
          "{}: column \"{}\" is of type {}, which is no reading; leave it out: ‹columns›, or write "
          "it as another type",
          source_, shown(column.column.name), column.refused);
    }
    // Nobody said which the time is: it may be any.
    column.is_read = column.refused.empty() && (asked || options_.time.empty());
    columns_.push_back(std::move(column));
  }

  void read_leaf(const SchemaElement& element, const std::string& path, unsigned level) {
    ParquetColumn column;
    column.column.name = path;
    column.leaf = leaves_++;
    column.physical = static_cast<Physical>(element.type);
    column.deepest_level = level;
    if (column.physical == Physical::int96) column.length = 12;
    if (column.physical == Physical::fixed) {
      if (element.type_length <= 0) fail(fmt::format("gives \"{}\" no length", shown(path)));
      column.length = static_cast<std::size_t>(element.type_length);
    }
    if (!find_type(element, column)) {
      column.refused = type_name(element, column.physical);
    }
    take(std::move(column));
  }

  static std::string type_name(const SchemaElement& element, Physical physical) {
    const auto& logical = element.logical_type.__isset;
    const Converted converted = converted_of(element);
    if (logical.bson || converted == Converted::bson) return "BSON";
    if (converted == Converted::interval) return "INTERVAL";
    if (logical.time || converted == Converted::time_millis ||
        converted == Converted::time_micros) {
      return "TIME";
    }
    return physical_name(physical);
  }

  static void set_time(ParquetColumn& column, RowType type, std::int64_t unit) {
    column.kind = CellKind::time;
    column.column.type = type;
    column.unit = unit;
  }

  static void set_integer(ParquetColumn& column, bool is_signed) {
    column.column.type = RowType::integer;
    column.kind = is_signed                            ? CellKind::integer
                  : column.physical == Physical::int32 ? CellKind::unsigned_word
                                                       : CellKind::wide_unsigned;
  }

  static void set_decimal(ParquetColumn& column, int scale) {
    column.kind = CellKind::decimal;
    column.column.type = RowType::number;
    column.scale = scale;
  }

  static void set_text(ParquetColumn& column) {
    column.kind = CellKind::text;
    column.column.type = RowType::text;
  }

  /// Decides by the logical type, else by the older word, else by the physical type. Returns
  /// whether it is a reading.
  bool find_type(const SchemaElement& element, ParquetColumn& column) const {
    if (element.__isset.logical_type) {
      const auto& logical = element.logical_type;
      const auto& is = logical.__isset;
      if (is.integer) return whole_numbers(column, logical.integer.is_signed);
      if (is.decimal) return decimals(column, logical.decimal.scale, logical.decimal.precision);
      if (is.date) return dates(column);
      if (is.timestamp) {
        const auto& unit = logical.timestamp.unit.__isset;
        const std::int64_t nanoseconds = unit.millis ? 1'000'000 : unit.micros ? 1'000 : 1;
        if (!unit.millis && !unit.micros && !unit.nanos) return false;
        return times(column, logical.timestamp.is_adjusted_to_utc, nanoseconds);
      }
      if (is.text || is.enumeration || is.json) return texts(column);
      if (is.time || is.bson) return false;
      if (is.uuid) {
        column.kind = CellKind::uuid;
        column.column.type = RowType::text;
        return column.physical == Physical::fixed && column.length == 16;
      }
      if (is.half) {
        column.kind = CellKind::half;
        column.column.type = RowType::number;
        return column.physical == Physical::fixed && column.length == 2;
      }
    }
    switch (converted_of(element)) {
      case Converted::utf8:
      case Converted::enumeration:
      case Converted::json:
        return texts(column);
      case Converted::decimal:
        return decimals(column, element.scale, element.precision);
      case Converted::date:
        return dates(column);
      case Converted::timestamp_millis:
        return times(column, true, 1'000'000);
      case Converted::timestamp_micros:
        return times(column, true, 1'000);
      case Converted::uint_8:
      case Converted::uint_16:
      case Converted::uint_32:
      case Converted::uint_64:
        return whole_numbers(column, false);
      case Converted::time_millis:
      case Converted::time_micros:
      case Converted::bson:
      case Converted::interval:
        return false;
      default:
        return plain(column);
    }
  }

  static bool whole_numbers(ParquetColumn& column, bool is_signed) {
    set_integer(column, is_signed);
    return column.physical == Physical::int32 || column.physical == Physical::int64;
  }

  static bool decimals(ParquetColumn& column, std::int32_t scale, std::int32_t precision) {
    constexpr std::int32_t most_digits = 1000;
    set_decimal(column, scale);
    return scale >= 0 && precision <= most_digits && scale <= most_digits &&
           column.physical != Physical::boolean && column.physical != Physical::int96 &&
           column.physical != Physical::float32 && column.physical != Physical::float64;
  }

  static bool dates(ParquetColumn& column) {
    set_time(column, RowType::local, nanoseconds_of_day);
    column.column.is_date = true;
    return column.physical == Physical::int32;
  }

  static bool times(ParquetColumn& column, bool is_instant, std::int64_t unit) {
    set_time(column, is_instant ? RowType::instant : RowType::local, unit);
    return column.physical == Physical::int64;
  }

  static bool texts(ParquetColumn& column) {
    set_text(column);
    return column.physical == Physical::byte_array;
  }

  bool plain(ParquetColumn& column) const {
    switch (column.physical) {
      case Physical::boolean:
        column.kind = CellKind::boolean;
        column.column.type = RowType::boolean;
        return true;
      case Physical::int32:
      case Physical::int64:
        return whole_numbers(column, true);
      case Physical::int96:
        column.kind = CellKind::int96;
        column.column.type = RowType::instant;
        return true;
      case Physical::float32:
      case Physical::float64:
        column.kind = CellKind::number;
        column.column.type = RowType::number;
        return true;
      case Physical::byte_array:
        // Bytes are a text when whoever reads them says so.
        set_text(column);
        return std::ranges::find(options_.text, column.column.name) != options_.text.end();
      default:
        return false;
    }
  }

  const std::vector<SchemaElement>& schema_;
  const std::string& source_;
  const ReadOptions& options_;
  std::size_t next_ = 0, leaves_ = 0;
  std::vector<ParquetColumn> columns_;
};

}  // namespace

std::vector<ParquetColumn> columns_of(const parquet::FileMetaData& metadata,
                                      const std::string& source, const ReadOptions& options) {
  return SchemaReader(metadata, source, options).read();
}

}  // namespace zerobeat::detail
