#include "io/write/write_parquet.hpp"

#include <fmt/format.h>
#include <parquet_types.h>
#include <zlib.h>

#include <algorithm>
#include <bit>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/version.hpp>

#include "base/parallel.hpp"
#include "io/parquet/codecs.hpp"
#include "io/parquet/encode.hpp"
#include "io/parquet/parquet_file.hpp"
#include "io/parquet/words.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t rows_of_group = std::size_t{1} << 20;
constexpr std::size_t rows_of_page = std::size_t{1} << 16;
constexpr std::size_t most_page_bytes = std::size_t{1} << 20;  // of texts that stand as they are
constexpr std::size_t most_dictionary_bytes = std::size_t{1} << 24;

/// The unit that times are written in: nanoseconds of it.
struct TimeUnit {
  std::int64_t cut = 1;  ///< what is finer is cut
  std::int64_t stored = 1;
};

TimeUnit unit_of(Precision precision, const Table& table) {
  int digits = 3;
  switch (precision) {
    case Precision::s:
      return {1'000'000'000, 1'000'000};
    case Precision::ms:
      return {1'000'000, 1'000'000};
    case Precision::us:
      return {1'000, 1'000};
    case Precision::ns:
      return {1, 1};
    default:
      break;
  }
  // The coarsest that loses nothing of any time.
  for (const Column& column : table.columns()) {
    if (column.type() != Column::Type::time) continue;
    const auto times = column.times();
    for (std::size_t i = 0; i < times.size() && digits < 9; ++i) {
      if (column.valid(i)) digits = std::max(digits, digits_needed(times[i]));
    }
  }
  if (digits <= 3) return {1'000'000, 1'000'000};
  return digits <= 6 ? TimeUnit{1'000, 1'000} : TimeUnit{1, 1};
}

/// The distinct numbers of a column by their bits, in order of their first appearance, as long as
/// they are few.
class DistinctNumbers {
 public:
  explicit DistinctNumbers(std::size_t most) : most_(most) {}

  /// The place of a number, or nothing when there are too many.
  std::optional<std::uint32_t> place_of(std::uint64_t bits) {
    if (2 * (numbers_.size() + 1) > slots_.size()) grow();
    std::size_t at = slot_of(bits);
    for (; slots_[at] != none; at = (at + 1) & (slots_.size() - 1)) {
      if (numbers_[slots_[at]] == bits) return slots_[at];
    }
    if (numbers_.size() == most_) return std::nullopt;
    slots_[at] = static_cast<std::uint32_t>(numbers_.size());
    numbers_.push_back(bits);
    return slots_[at];
  }
  const std::vector<std::uint64_t>& all() const { return numbers_; }

 private:
  static constexpr std::uint32_t none = ~std::uint32_t{0};

  /// Multiplicative hashing (Knuth, The Art of Computer Programming 3, 6.4).
  std::size_t slot_of(std::uint64_t bits) const {
    return static_cast<std::size_t>((bits ^ bits >> 32) * 0x9e3779b97f4a7c15U >> 32) &
           (slots_.size() - 1);
  }

  void grow() {
    slots_.assign(slots_.empty() ? 1024 : 2 * slots_.size(), none);
    for (std::uint32_t i = 0; i < numbers_.size(); ++i) {
      std::size_t at = slot_of(numbers_[i]);
      while (slots_[at] != none) at = (at + 1) & (slots_.size() - 1);
      slots_[at] = i;
    }
  }

  std::size_t most_;
  std::vector<std::uint64_t> numbers_;
  std::vector<std::uint32_t> slots_;
};

/// A column of a row group: its pages, and what the metadata say of them. Places count from the
/// first byte of the pages.
struct PackedColumn {
  std::string pages{};
  parquet::ColumnMetaData about{};
};

/// Packs the rows of one column.
class ColumnPacker {
 public:
  ColumnPacker(const Column& column, std::string name, RowStretch rows, const TimeUnit& unit)
      : column_(column), rows_(rows), unit_(unit) {
    about().path_in_schema = {std::move(name)};
    about().codec = static_cast<std::int32_t>(ParquetCodec::zstd);
    about().num_values = static_cast<std::int64_t>(rows.size());
  }

  PackedColumn pack() {
    switch (column_.type()) {
      case Column::Type::number:
        pack_numbers();
        break;
      case Column::Type::integer:
        pack_integers([&](std::size_t i) { return column_.integers()[i]; });
        break;
      case Column::Type::time:
        pack_integers([&](std::size_t i) { return stored(column_.times()[i]); });
        break;
      case Column::Type::boolean:
        pack_booleans();
        break;
      case Column::Type::text:
        pack_texts();
        break;
    }
    about().total_compressed_size = static_cast<std::int64_t>(packed_.pages.size());
    statistics_.__set_null_count(missing_);
    about().__set_statistics(statistics_);
    return std::move(packed_);
  }

 private:
  parquet::ColumnMetaData& about() { return packed_.about; }

  std::int64_t stored(Instant t) const {
    const std::int64_t ns = nanoseconds_of(t);
    const std::int64_t cut = ns / unit_.cut - (ns % unit_.cut < 0);
    return cut * (unit_.cut / unit_.stored);
  }

  void describe(Physical type, std::initializer_list<ParquetEncoding> encodings) {
    about().type = static_cast<std::int32_t>(type);
    for (const ParquetEncoding encoding : encodings) {
      about().encodings.push_back(static_cast<std::int32_t>(encoding));
    }
  }

  /// Calls page(from, until) for stretches of the rows.
  template <typename Page>
  void for_each_page(Page&& page) {
    for (std::size_t from = rows_.begin; from < rows_.end; from += rows_of_page) {
      page(RowStretch{from, std::min(from + rows_of_page, rows_.end)});
    }
  }

  template <typename Least>
  void set_bounds(const Least& least, const Least& most) {
    std::string low, high;
    append_plain(low, least);
    append_plain(high, most);
    statistics_.__set_min_value(low);
    statistics_.__set_max_value(high);
  }

  void pack_numbers() {
    const auto numbers = column_.numbers();
    std::optional<double> least, most;
    for (std::size_t i = rows_.begin; i < rows_.end; ++i) {
      if (!column_.valid(i)) continue;
      least = least ? std::min(*least, numbers[i]) : numbers[i];
      most = most ? std::max(*most, numbers[i]) : numbers[i];
    }
    // Of zeros a reader must not think that the other one is not there.
    if (least) set_bounds(*least == 0 ? -0.0 : *least, *most == 0 ? 0.0 : *most);
    if (pack_few_numbers(numbers)) return;
    describe(Physical::float64, {ParquetEncoding::plain, ParquetEncoding::rle});
    for_each_page([&](RowStretch rows) {
      std::string values;
      for (std::size_t i = rows.begin; i < rows.end; ++i) {
        if (column_.valid(i)) append_plain(values, numbers[i]);
      }
      put_page(rows, ParquetEncoding::plain, values);
    });
  }

  /// Packs numbers of which each comes often by a dictionary: readings have few digits. Returns
  /// whether they were such.
  bool pack_few_numbers(std::span<const double> numbers) {
    constexpr std::size_t most_numbers = std::size_t{1} << 15, often = 8;
    DistinctNumbers distinct(std::min(most_numbers, rows_.size() / often));
    std::vector<std::uint32_t> places;
    places.reserve(rows_.size());
    for (std::size_t i = rows_.begin; i < rows_.end; ++i) {
      if (!column_.valid(i)) continue;
      const auto place = distinct.place_of(std::bit_cast<std::uint64_t>(numbers[i]));
      if (!place) return false;
      places.push_back(*place);
    }
    std::string dictionary;
    for (const std::uint64_t bits : distinct.all()) append_plain(dictionary, bits);
    pack_places(Physical::float64, dictionary, distinct.all().size(), places);
    return true;
  }

  /// Packs a dictionary, and for each value that is there its place in it.
  void pack_places(Physical type, std::string_view dictionary, std::size_t count,
                   std::span<const std::uint32_t> places) {
    describe(type, {ParquetEncoding::plain, ParquetEncoding::rle, ParquetEncoding::rle_dictionary});
    put_dictionary(dictionary, count);
    const auto width = static_cast<unsigned>(
        std::max(1, static_cast<int>(std::bit_width(std::max(count, std::size_t{1}) - 1))));
    for_each_page([&](RowStretch rows) {
      std::size_t there = 0;
      for (std::size_t i = rows.begin; i < rows.end; ++i) there += column_.valid(i);
      std::string values(1, static_cast<char>(width));
      append_hybrid(values, places.first(there), width);
      places = places.subspan(there);
      put_page(rows, ParquetEncoding::rle_dictionary, values);
    });
  }

  template <typename Value>
  void pack_integers(Value&& value) {
    describe(Physical::int64, {ParquetEncoding::delta_binary_packed, ParquetEncoding::rle});
    std::optional<std::int64_t> least, most;
    std::vector<std::int64_t> there;
    for_each_page([&](RowStretch rows) {
      there.clear();
      for (std::size_t i = rows.begin; i < rows.end; ++i) {
        if (column_.valid(i)) there.push_back(value(i));
      }
      if (!there.empty()) {
        const auto [low, high] = std::ranges::minmax_element(there);
        least = least ? std::min(*least, *low) : *low;
        most = most ? std::max(*most, *high) : *high;
      }
      std::string values;
      append_deltas(values, there);
      put_page(rows, ParquetEncoding::delta_binary_packed, values);
    });
    if (least) set_bounds(*least, *most);
  }

  void pack_booleans() {
    describe(Physical::boolean, {ParquetEncoding::plain, ParquetEncoding::rle});
    bool any[2] = {false, false};
    for_each_page([&](RowStretch rows) {
      std::string values;
      std::size_t bit = 0;
      for (std::size_t i = rows.begin; i < rows.end; ++i) {
        if (!column_.valid(i)) continue;
        if (bit % 8 == 0) values += '\0';
        const bool value = column_.boolean(i);
        any[value] = true;
        values.back() = static_cast<char>(static_cast<unsigned char>(values.back()) |
                                          (value ? 1U << bit % 8 : 0U));
        ++bit;
      }
      put_page(rows, ParquetEncoding::plain, values);
    });
    if (any[0] || any[1]) set_bounds(static_cast<char>(!any[0]), static_cast<char>(any[1]));
  }

  void pack_texts() {
    // The texts of these rows, in the order in which they come.
    const auto& all = column_.dictionary();
    const auto codes = column_.codes();
    std::vector<std::int32_t> place(all.size(), -1);
    std::vector<const std::string*> texts;
    std::size_t bytes = 0;
    for (std::size_t i = rows_.begin; i < rows_.end; ++i) {
      if (!column_.valid(i)) continue;
      std::int32_t& number = place[static_cast<std::size_t>(codes[i])];
      if (number >= 0) continue;
      number = static_cast<std::int32_t>(texts.size());
      texts.push_back(&all[static_cast<std::size_t>(codes[i])]);
      bytes += texts.back()->size();
    }
    set_text_bounds(texts);
    if (bytes > most_dictionary_bytes) return pack_plain_texts();
    std::string dictionary;
    for (const std::string* const text : texts) append_text(dictionary, *text);
    std::vector<std::uint32_t> places;
    places.reserve(rows_.size());
    for (std::size_t i = rows_.begin; i < rows_.end; ++i) {
      if (!column_.valid(i)) continue;
      places.push_back(static_cast<std::uint32_t>(place[static_cast<std::size_t>(codes[i])]));
    }
    pack_places(Physical::byte_array, dictionary, texts.size(), places);
  }

  /// The least and the greatest text, when both are short.
  void set_text_bounds(const std::vector<const std::string*>& texts) {
    constexpr std::size_t longest = 64;
    if (texts.empty()) return;
    const auto [least, most] = std::ranges::minmax_element(
        texts, [](const std::string* a, const std::string* b) { return *a < *b; });
    if ((*least)->size() > longest || (*most)->size() > longest) return;
    statistics_.__set_min_value(**least);
    statistics_.__set_max_value(**most);
  }

  void pack_plain_texts() {
    describe(Physical::byte_array, {ParquetEncoding::plain, ParquetEncoding::rle});
    for (std::size_t from = rows_.begin, until = from; from < rows_.end; from = until) {
      std::string values;
      for (; until < rows_.end && until - from < rows_of_page && values.size() < most_page_bytes;
           ++until) {
        if (column_.valid(until)) append_text(values, column_.text(until));
      }
      put_page({from, until}, ParquetEncoding::plain, values);
    }
  }

  static void append_text(std::string& out, std::string_view text) {
    append_plain(out, static_cast<std::uint32_t>(text.size()));
    out += text;
  }

  void put_dictionary(std::string_view bytes, std::size_t count) {
    parquet::DictionaryPageHeader about_dictionary;
    about_dictionary.num_values = static_cast<std::int32_t>(count);
    about_dictionary.encoding = static_cast<std::int32_t>(ParquetEncoding::plain);
    parquet::PageHeader header;
    header.type = static_cast<std::int32_t>(PageType::dictionary);
    header.__set_dictionary_page_header(about_dictionary);
    about().__set_dictionary_page_offset(static_cast<std::int64_t>(packed_.pages.size()));
    put(header, bytes);
    about().data_page_offset = static_cast<std::int64_t>(packed_.pages.size());
  }

  /// Puts a page of rows: their levels, 1 where there is a value, and the values.
  void put_page(RowStretch rows, ParquetEncoding encoding, std::string_view values) {
    levels_.clear();
    for (std::size_t i = rows.begin; i < rows.end; ++i) levels_.push_back(column_.valid(i) ? 1 : 0);
    missing_ += std::ranges::count(levels_, 0U);
    std::string levels;
    append_hybrid(levels, levels_, 1);
    std::string page;
    append_plain(page, static_cast<std::uint32_t>(levels.size()));
    page += levels;
    page += values;
    parquet::DataPageHeader about_page;
    about_page.num_values = static_cast<std::int32_t>(rows.size());
    about_page.encoding = static_cast<std::int32_t>(encoding);
    about_page.definition_level_encoding = static_cast<std::int32_t>(ParquetEncoding::rle);
    about_page.repetition_level_encoding = static_cast<std::int32_t>(ParquetEncoding::rle);
    parquet::PageHeader header;
    header.type = static_cast<std::int32_t>(PageType::data);
    header.__set_data_page_header(about_page);
    put(header, page);
  }

  void put(parquet::PageHeader& header, std::string_view page) {
    const std::string packed = zstd_packed(page);
    header.uncompressed_page_size = static_cast<std::int32_t>(page.size());
    header.compressed_page_size = static_cast<std::int32_t>(packed.size());
    header.__set_crc(static_cast<std::int32_t>(
        crc32_z(0, reinterpret_cast<const Bytef*>(packed.data()), packed.size())));
    const std::string head = bytes_of(header);
    packed_.pages += head;
    packed_.pages += packed;
    about().total_uncompressed_size += static_cast<std::int64_t>(head.size() + page.size());
  }

  const Column& column_;
  RowStretch rows_;
  const TimeUnit& unit_;
  PackedColumn packed_{};
  parquet::Statistics statistics_{};
  std::int64_t missing_ = 0;
  std::vector<std::uint32_t> levels_{};
};

parquet::SchemaElement element_of(const std::string& name, Column::Type type,
                                  const TimeUnit& unit) {
  constexpr std::int32_t optional = 1;
  constexpr std::int32_t utf8 = 0, timestamp_millis = 9, timestamp_micros = 10;
  parquet::SchemaElement element;
  element.name = name;
  element.__set_repetition_type(optional);
  parquet::LogicalType logical;
  const auto set = [&](Physical physical) {
    element.__set_type(static_cast<std::int32_t>(physical));
  };
  switch (type) {
    case Column::Type::number:
      set(Physical::float64);
      break;
    case Column::Type::integer:
      set(Physical::int64);
      break;
    case Column::Type::boolean:
      set(Physical::boolean);
      break;
    case Column::Type::text:
      set(Physical::byte_array);
      logical.__set_text({});
      element.__set_converted_type(utf8);
      element.__set_logical_type(logical);
      break;
    case Column::Type::time: {
      set(Physical::int64);
      parquet::TimeType time;
      time.is_adjusted_to_utc = true;
      if (unit.stored == 1'000'000) {
        time.unit.__set_millis({});
        element.__set_converted_type(timestamp_millis);
      } else if (unit.stored == 1'000) {
        time.unit.__set_micros({});
        element.__set_converted_type(timestamp_micros);
      } else {
        time.unit.__set_nanos({});
      }
      logical.__set_timestamp(time);
      element.__set_logical_type(logical);
      break;
    }
  }
  return element;
}

parquet::FileMetaData metadata_of(const Table& table, const TimeUnit& unit) {
  parquet::FileMetaData metadata;
  metadata.version = 2;
  metadata.num_rows = static_cast<std::int64_t>(table.rows());
  parquet::SchemaElement root;
  root.name = "schema";
  root.__set_num_children(static_cast<std::int32_t>(table.names().size()));
  metadata.schema.push_back(root);
  parquet::ColumnOrder order;
  order.__set_type_order({});
  std::vector<parquet::ColumnOrder> orders;
  for (std::size_t i = 0; i < table.names().size(); ++i) {
    metadata.schema.push_back(element_of(table.names()[i], table.columns()[i].type(), unit));
    orders.push_back(order);
  }
  metadata.__set_column_orders(orders);
  metadata.__set_created_by(fmt::format("zerobeat version {}", version()));
  return metadata;
}

}  // namespace

void write_parquet(const Table& table, Output& output, const WriteOptions& options, const Zone&) {
  if (options.time_as.kind != TimeForm::Kind::rfc3339) {
    fail_usage("‹time_as› {}: parquet has times as such", to_text(options.time_as));
  }
  if (options.digits) fail_usage("‹digits› {}: parquet has numbers as such", *options.digits);
  if (options.local) fail_usage("‹local›: parquet has its times in UTC, and no zone beside them");
  const TimeUnit unit = unit_of(options.precision, table);
  parquet::FileMetaData metadata = metadata_of(table, unit);
  output.write(parquet_mark);
  auto place = static_cast<std::int64_t>(parquet_mark.size());
  for (std::size_t from = 0; from < table.rows() && !output.reader_gone(); from += rows_of_group) {
    const RowStretch rows{from, std::min(from + rows_of_group, table.rows())};
    std::vector<PackedColumn> packed(table.columns().size());
    detail::parallel_for(std::size_t{0}, packed.size(), [&](std::size_t i) {
      packed[i] = ColumnPacker(table.columns()[i], table.names()[i], rows, unit).pack();
    });
    parquet::RowGroup group;
    group.num_rows = static_cast<std::int64_t>(rows.size());
    for (PackedColumn& column : packed) {
      column.about.data_page_offset += place;
      if (column.about.__isset.dictionary_page_offset) column.about.dictionary_page_offset += place;
      group.total_byte_size += column.about.total_uncompressed_size;
      parquet::ColumnChunk chunk;
      chunk.file_offset = place;
      chunk.__set_meta_data(column.about);
      group.columns.push_back(std::move(chunk));
      output.write(column.pages);
      place += static_cast<std::int64_t>(column.pages.size());
    }
    metadata.row_groups.push_back(std::move(group));
  }
  const std::string footer = bytes_of(metadata);
  output.write(footer);
  std::string tail;
  append_plain(tail, static_cast<std::uint32_t>(footer.size()));
  tail += parquet_mark;
  output.write(tail);
}

}  // namespace zerobeat::detail
