#include "io/parquet/column_reader.hpp"

#include <fmt/format.h>
#include <zlib.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <optional>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>

#include "io/judge/half_number.hpp"
#include "io/judge/scale_time.hpp"
#include "io/parquet/decimals.hpp"
#include "io/text/split_delimited.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// A time that no instant is; no file has it but by damage.
constexpr std::uint64_t no_time = std::uint64_t{1} << 63;

constexpr std::string_view hex_digits = "0123456789abcdef";

std::string uuid_text(std::string_view bytes) {
  std::string text;
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    if (i == 4 || i == 6 || i == 8 || i == 10) text += '-';
    const auto byte = static_cast<unsigned char>(bytes[i]);
    text += hex_digits[byte >> 4];
    text += hex_digits[byte & 15];
  }
  return text;
}

/// Nanoseconds of a day and a Julian day number, as nanoseconds since 1970.
std::uint64_t nanoseconds_of_int96(std::string_view bytes) {
  constexpr std::int64_t day_of_1970 = 2'440'588, day = std::int64_t{86'400} * 1'000'000'000;
  const auto of_day = little_endian<std::int64_t>(bytes.data());
  const std::int64_t days = little_endian<std::int32_t>(bytes.data() + 8) - day_of_1970;
  std::int64_t t = 0;
  const bool lies_beyond =
      __builtin_mul_overflow(days, day, &t) || __builtin_add_overflow(t, of_day, &t);
  return lies_beyond ? no_time : static_cast<std::uint64_t>(t);
}

/// Values of the oldest way to pack levels: the highest bit first.
std::vector<std::uint32_t> flat_levels(std::string_view bytes, unsigned width, std::size_t count) {
  std::vector<std::uint32_t> out(count);
  std::size_t bit = 0;
  for (std::uint32_t& value : out) {
    for (unsigned i = 0; i < width; ++i, ++bit) {
      const auto byte = static_cast<unsigned char>(bytes[bit / 8]);
      value = value << 1 | (byte >> (7 - bit % 8) & 1U);
    }
  }
  return out;
}

std::size_t size_of(std::int32_t number) {
  if (number < 0) throw DamagedPage("its header gives a size below 0");
  return static_cast<std::size_t>(number);
}

}  // namespace

/// All values that a row group's pages choose from, as they go into cells.
struct ColumnReader::Dictionary {
  std::vector<std::uint64_t> bits{};
  std::vector<std::string_view> texts{};
  std::vector<bool> inexact{};  ///< of decimals; empty: none is
  bool well_encoded = false;    ///< all its texts are UTF-8
  KeptBytes page{};
  TextStore store{};
};

template <typename Work>
void ColumnReader::at_place(Work&& work) {
  const auto place = [&] {
    return fmt::format("{}: row group {}, column \"{}\", byte {}", file_.name(), group_ + 1,
                       shown(column_.column.name), page_at_);
  };
  try {
    work();
  } catch (const DamagedPage& fault) {
    fail_input("{}: the page is damaged: {}", place(), fault.what());
  } catch (const Error& error) {
    throw error.at(place());
  }
}

void ColumnReader::begin(std::size_t group) {
  group_ = group;
  passed_ = 0;
  page_left_ = 0;
  dictionary_.reset();
  const auto& row_group = file_.metadata().row_groups[group];
  rows_left_ = static_cast<std::size_t>(row_group.num_rows);
  if (column_.leaf >= row_group.columns.size()) {
    fail_input("{}: row group {} has fewer columns than the schema; it is damaged", file_.name(),
               group + 1);
  }
  const auto& chunk = row_group.columns[column_.leaf];
  chunk_ = file_.chunk(chunk);
  page_at_ = file_.place_of(chunk_);
  codec_ = static_cast<ParquetCodec>(chunk.meta_data.codec);
  if (static_cast<Physical>(chunk.meta_data.type) != column_.physical) {
    fail_input("{}: row group {}, column \"{}\": is of another type than the schema says",
               file_.name(), group + 1, shown(column_.column.name));
  }
}

void ColumnReader::next(std::size_t rows, RowBatch::Cells& cells,
                        std::vector<std::uint32_t>& badly_encoded) {
  at_place([&] {
    // What was passed over before is read and thrown away.
    while (passed_ > 0) {
      const std::size_t count = std::min(passed_, batch_rows);
      RowBatch::Cells nobody;
      std::vector<std::uint32_t> no_rows;
      take(count, nobody, no_rows);
      passed_ -= count;
    }
    take(rows, cells, badly_encoded);
  });
}

void ColumnReader::end() {
  at_place([&] {
    if (passed_ > 0) return;
    if (page_left_ > 0) throw DamagedPage("it has more rows than its row group");
  });
  file_.text().release(file_.place_of(chunk_), file_.place_of(chunk_) + chunk_.size());
}

void ColumnReader::take(std::size_t rows, RowBatch::Cells& cells,
                        std::vector<std::uint32_t>& badly_encoded) {
  const bool as_text = gives_texts();
  if (as_text) {
    cells.texts.resize(rows);
  } else {
    cells.bits.resize(rows);
  }
  for (std::size_t at = 0; at < rows;) {
    while (page_left_ == 0) load_page();
    const std::size_t count = std::min(rows - at, page_left_);
    const std::size_t present = take_levels(at, count, cells);
    const bool all = present == count;
    if (as_text) {
      const auto out = std::span(cells.texts).subspan(at, count);
      if (all) {
        take_texts(out, cells);
      } else {
        texts_.resize(present);
        take_texts(texts_, cells);
        for (std::size_t i = 0, j = 0; i < count; ++i) {
          out[i] = numbers_[i] == column_.deepest_level ? texts_[j++] : std::string_view();
        }
      }
      note_badly_encoded(out, at, badly_encoded);
    } else {
      const std::span<std::uint64_t> out(cells.bits.data() + at, count);
      if (all) {
        take_bits(out);
      } else {
        // take_bits() may want `numbers_` for places.
        const std::vector<std::uint32_t> levels(numbers_.begin(),
                                                numbers_.begin() + static_cast<long>(count));
        words_.resize(present);
        take_bits(words_);
        for (std::size_t i = 0, j = 0; i < count; ++i) {
          out[i] = levels[i] == column_.deepest_level ? words_[j++] : 0;
        }
      }
    }
    page_left_ -= count;
    at += count;
  }
  finish_times(cells);
}

/// Texts are UTF-8, or their rows are at fault.
void ColumnReader::note_badly_encoded(std::span<const std::string_view> texts, std::size_t from,
                                      std::vector<std::uint32_t>& rows) const {
  if (column_.kind != CellKind::text) return;
  const bool of_dictionary = std::holds_alternative<DictionaryPlaces>(values_);
  if (of_dictionary && dictionary_ != nullptr && dictionary_->well_encoded) return;
  for (std::size_t i = 0; i < texts.size(); ++i) {
    if (!is_utf8(texts[i])) rows.push_back(static_cast<std::uint32_t>(from + i));
  }
}

/// Reads the levels of rows; marks the missing ones, and returns how many are there.
std::size_t ColumnReader::take_levels(std::size_t at, std::size_t rows, RowBatch::Cells& cells) {
  if (column_.deepest_level == 0) return rows;
  if (flat_levels_.empty() && levels_.pass_over(column_.deepest_level, rows)) return rows;
  numbers_.resize(std::max(numbers_.size(), rows));
  const auto levels = std::span(numbers_).first(rows);
  if (flat_levels_.empty()) {
    levels_.next(levels);
  } else {
    std::copy_n(flat_levels_.begin() + static_cast<long>(flat_at_), rows, levels.begin());
    flat_at_ += rows;
  }
  std::size_t present = 0;
  for (std::size_t i = 0; i < rows; ++i) {
    if (levels[i] == column_.deepest_level) {
      ++present;
    } else {
      cells.missing.push_back(static_cast<std::uint32_t>(at + i));
    }
  }
  return present;
}

void ColumnReader::load_page() {
  for (;;) {
    page_at_ = file_.place_of(chunk_);
    if (chunk_.empty()) throw DamagedPage("it ends before the last row of its row group");
    const parquet::PageHeader header = take_page_header(chunk_);
    const std::string_view packed = take_front(chunk_, size_of(header.compressed_page_size));
    if (header.__isset.crc) {
      const auto sum = crc32_z(0, reinterpret_cast<const Bytef*>(packed.data()), packed.size());
      if (static_cast<std::uint32_t>(sum) != static_cast<std::uint32_t>(header.crc)) {
        throw DamagedPage("its checksum is another");
      }
    }
    switch (static_cast<PageType>(header.type)) {
      case PageType::dictionary:
        load_dictionary(header, packed);
        continue;
      case PageType::data:
        begin_data(header, packed);
        return;
      case PageType::data_v2:
        begin_data_v2(header, packed);
        return;
      default:
        continue;  // an index, or what is not known yet
    }
  }
}

void ColumnReader::begin_data(const parquet::PageHeader& header, std::string_view packed) {
  if (!header.__isset.data_page_header) throw DamagedPage("its header is not of its kind");
  const auto& about = header.data_page_header;
  page_left_ = size_of(about.num_values);
  page_ = unpacker_.unpacked(codec_, packed, size_of(header.uncompressed_page_size));
  std::string_view page = page_.bytes;
  begin_levels(page, about.definition_level_encoding);
  begin_values(page, about.encoding);
}

/// Of a page of the first version, whose levels are packed with its values.
void ColumnReader::begin_levels(std::string_view& page, std::int32_t encoding) {
  flat_levels_.clear();
  flat_at_ = 0;
  if (column_.deepest_level == 0) return;
  const auto width = static_cast<unsigned>(std::bit_width(column_.deepest_level));
  switch (static_cast<ParquetEncoding>(encoding)) {
    case ParquetEncoding::rle:
      levels_ = HybridRuns(take_front(page, take_front<std::uint32_t>(page)), width);
      return;
    case ParquetEncoding::bit_packed:
      flat_levels_ = flat_levels(take_front(page, (page_left_ * width + 7) / 8), width, page_left_);
      return;
    default:
      throw DamagedPage("its levels are written in a way that there is not");
  }
}

void ColumnReader::begin_data_v2(const parquet::PageHeader& header, std::string_view packed) {
  if (!header.__isset.data_page_header_v2) throw DamagedPage("its header is not of its kind");
  const auto& about = header.data_page_header_v2;
  page_left_ = size_of(about.num_values);
  const std::size_t levels = size_of(about.definition_levels_byte_length);
  const std::size_t before = size_of(about.repetition_levels_byte_length);
  const std::size_t size = size_of(header.uncompressed_page_size);
  if (levels + before > size) throw DamagedPage("its levels are longer than it");
  static_cast<void>(take_front(packed, before));
  const std::string_view level_bytes = take_front(packed, levels);
  flat_levels_.clear();
  if (column_.deepest_level > 0) {
    levels_ = HybridRuns(level_bytes, static_cast<unsigned>(std::bit_width(column_.deepest_level)));
  }
  const bool is_packed = !about.__isset.is_compressed || about.is_compressed;
  const std::size_t values = size - levels - before;
  // Of a page without values nothing may be there.
  if (packed.empty() && values == 0) {
    page_ = {};
  } else {
    page_ = unpacker_.unpacked(is_packed ? codec_ : ParquetCodec::uncompressed, packed, values);
  }
  begin_values(page_.bytes, about.encoding);
}

void ColumnReader::begin_values(std::string_view values, std::int32_t encoding) {
  // A page of missing readings alone may have no values at all.
  if (values.empty()) {
    values_ = PlainWords{};
    if (gives_texts() || is_bytes(column_.physical)) values_ = PlainTexts{};
    return;
  }
  values_ = page_values(static_cast<ParquetEncoding>(encoding), column_.physical, column_.length,
                        values, page_left_);
}

void ColumnReader::load_dictionary(const parquet::PageHeader& header, std::string_view packed) {
  if (!header.__isset.dictionary_page_header) throw DamagedPage("its header is not of its kind");
  const std::size_t count = size_of(header.dictionary_page_header.num_values);
  auto dictionary = std::make_shared<Dictionary>();
  dictionary->page = unpacker_.unpacked(codec_, packed, size_of(header.uncompressed_page_size));
  const std::string_view bytes = dictionary->page.bytes;
  if (count > bytes.size() * 8) throw DamagedPage("it has too few values");
  PageValues values =
      page_values(ParquetEncoding::plain, column_.physical, column_.length, bytes, count);
  if (!is_bytes(column_.physical)) {
    dictionary->bits.resize(count);
    std::visit(
        [&](auto& kind) {
          if constexpr (requires { kind.next(std::span<std::uint64_t>()); }) {
            kind.next(std::span(dictionary->bits));
          }
        },
        values);
  } else {
    dictionary->texts.resize(count);
    std::visit(
        [&](auto& kind) {
          if constexpr (requires { kind.next(std::span<std::string_view>(), dictionary->store); }) {
            kind.next(std::span(dictionary->texts), dictionary->store);
          }
        },
        values);
  }
  // Decimals that lose digits are counted each time that one is meant.
  const std::int64_t before = inexact_;
  const auto note_inexact = [&](std::size_t i) {
    if (inexact_ == before) return;
    dictionary->inexact.resize(count);
    dictionary->inexact[i] = true;
    inexact_ = before;
  };
  if (!is_bytes(column_.physical)) {
    for (std::size_t i = 0; i < count; ++i) {
      convert_words(std::span(dictionary->bits).subspan(i, 1));
      note_inexact(i);
    }
    if (gives_texts()) {
      for (const std::uint64_t value : dictionary->bits) {
        dictionary->texts.push_back(dictionary->store.emplace_back(fmt::to_string(value)));
      }
    }
  } else if (column_.kind == CellKind::uuid) {
    for (std::string_view& text : dictionary->texts) {
      text = dictionary->store.emplace_back(uuid_text(text));
    }
  } else if (!gives_texts()) {
    dictionary->bits.resize(count);
    for (std::size_t i = 0; i < count; ++i) {
      dictionary->bits[i] = bits_of(dictionary->texts[i]);
      note_inexact(i);
    }
  }
  if (column_.kind == CellKind::text) {
    dictionary->well_encoded = std::ranges::all_of(dictionary->texts, is_utf8);
  }
  dictionary_ = std::move(dictionary);
}

/// The next values that are there, as they go into cells that are no texts.
void ColumnReader::take_bits(std::span<std::uint64_t> out) {
  if (out.empty()) return;
  if (auto* const places = std::get_if<DictionaryPlaces>(&values_)) {
    if (dictionary_ == nullptr) throw DamagedPage("it lacks its dictionary");
    numbers_.resize(std::max(numbers_.size(), out.size()));
    const auto numbers = std::span(numbers_).first(out.size());
    places->next(numbers);
    const auto& bits = dictionary_->bits;
    for (std::size_t i = 0; i < out.size(); ++i) {
      if (numbers[i] >= bits.size()) throw DamagedPage("a place is not in its dictionary");
      out[i] = bits[numbers[i]];
    }
    if (dictionary_->inexact.empty()) return;
    for (const std::uint32_t place : numbers) inexact_ += dictionary_->inexact[place];
    return;
  }
  if (is_bytes(column_.physical)) {
    std::vector<std::string_view> bytes(out.size());
    TextStore store;
    std::visit(
        [&](auto& kind) {
          if constexpr (requires { kind.next(std::span(bytes), store); }) {
            kind.next(std::span(bytes), store);
          } else {
            throw DamagedPage("it has too few values");
          }
        },
        values_);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = bits_of(bytes[i]);
    return;
  }
  std::visit(
      [&](auto& kind) {
        if constexpr (requires { kind.next(out); }) {
          kind.next(out);
        } else {
          throw DamagedPage("it has too few values");
        }
      },
      values_);
  convert_words(out);
}

/// The next values that are there, of a column of texts.
void ColumnReader::take_texts(std::span<std::string_view> out, RowBatch::Cells& cells) {
  if (out.empty()) return;
  if (auto* const places = std::get_if<DictionaryPlaces>(&values_)) {
    if (dictionary_ == nullptr) throw DamagedPage("it lacks its dictionary");
    const auto& texts = dictionary_->texts;
    std::vector<std::uint32_t> numbers(out.size());
    places->next(numbers);
    for (std::size_t i = 0; i < out.size(); ++i) {
      if (numbers[i] >= texts.size()) throw DamagedPage("a place is not in its dictionary");
      out[i] = texts[numbers[i]];
    }
    cells.owners.push_back(dictionary_);
    return;
  }
  auto store = std::make_shared<TextStore>();
  if (column_.kind == CellKind::wide_unsigned) {
    words_.resize(out.size());
    take_bits(words_);
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i] = store->emplace_back(fmt::to_string(words_[i]));
    }
  } else {
    std::visit(
        [&](auto& kind) {
          if constexpr (requires { kind.next(out, *store); }) {
            kind.next(out, *store);
          } else {
            throw DamagedPage("it has too few values");
          }
        },
        values_);
    if (column_.kind == CellKind::uuid) {
      for (std::string_view& text : out) text = store->emplace_back(uuid_text(text));
    }
    if (page_.owner) cells.owners.push_back(page_.owner);
  }
  if (!store->empty()) cells.owners.push_back(std::move(store));
}

void ColumnReader::convert_words(std::span<std::uint64_t> values) {
  const bool narrow = column_.physical == Physical::int32;
  const auto widen = [&] {
    for (std::uint64_t& value : values) {
      value =
          static_cast<std::uint64_t>(static_cast<std::int64_t>(static_cast<std::int32_t>(value)));
    }
  };
  switch (column_.kind) {
    case CellKind::integer:
    case CellKind::time:
      if (narrow) widen();
      return;
    case CellKind::unsigned_word:
      for (std::uint64_t& value : values) value &= 0xffffffffU;
      return;
    case CellKind::number:
      if (column_.physical != Physical::float32) return;
      for (std::uint64_t& value : values) {
        const auto number = std::bit_cast<float>(static_cast<std::uint32_t>(value));
        value = std::bit_cast<std::uint64_t>(static_cast<double>(number));
      }
      return;
    case CellKind::decimal:
      if (narrow) widen();
      for (std::uint64_t& value : values) {
        const DecimalNumber decimal =
            decimal_number(static_cast<std::int64_t>(value), column_.scale);
        inexact_ += !decimal.exact;
        value = std::bit_cast<std::uint64_t>(decimal.number);
      }
      return;
    default:
      return;
  }
}

/// Of values that are bytes and give no text.
std::uint64_t ColumnReader::bits_of(std::string_view bytes) {
  switch (column_.kind) {
    case CellKind::int96:
      return nanoseconds_of_int96(bytes);
    case CellKind::half:
      return std::bit_cast<std::uint64_t>(
          half_to_double(little_endian<std::uint16_t>(bytes.data())));
    default: {
      const DecimalNumber decimal = decimal_number(bytes, column_.scale);
      inexact_ += !decimal.exact;
      return std::bit_cast<std::uint64_t>(decimal.number);
    }
  }
}

void ColumnReader::finish_times(RowBatch::Cells& cells) const {
  if (column_.kind == CellKind::time) return scale_times(cells, column_.unit);
  if (column_.kind != CellKind::int96) return;
  for (std::size_t i = 0; i < cells.bits.size(); ++i) {
    if (cells.bits[i] != no_time) continue;
    cells.out_of_range.push_back(static_cast<std::uint32_t>(i));
    cells.bits[i] = 0;
  }
}

}  // namespace zerobeat::detail
