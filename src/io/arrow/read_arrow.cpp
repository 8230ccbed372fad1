#include "io/arrow/read_arrow.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <map>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "io/arrow/arrow_fields.hpp"
#include "io/arrow/arrow_messages.hpp"
#include "io/judge/half_number.hpp"
#include "io/judge/scale_time.hpp"
#include "io/text/split_delimited.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// One buffer of a batch, whose bounds were looked at.
template <typename T>
T value_at(std::string_view buffer, std::size_t i) {
  T value;
  std::memcpy(&value, buffer.data() + i * sizeof(T), sizeof(T));
  return value;
}

/// Texts of a dictionary. What is added to it later does not move them.
using Words = std::vector<std::string_view>;

/// The buffers of one column of a batch, as far as its type has them.
struct ColumnData {
  std::size_t rows = 0;
  std::string_view validity;  ///< empty: all are there
  std::string_view values;    ///< or offsets of texts, or codes of a dictionary
  std::string_view bytes;     ///< of texts
  const Words* words = nullptr;
};

class ArrowRows {
 public:
  ArrowRows(const SourceText& text, const ReadOptions& options)
      : text_(text), messages_(text_), plans_(plans_of(messages_, text_.name, options)) {
    for (const Framed& dictionary : messages_.dictionaries()) take_dictionary(dictionary);
    check_wide_integers();
    rewind();
  }

  std::vector<RowColumn> columns() const {
    std::vector<RowColumn> columns;
    for (const FieldPlan& plan : plans_) {
      if (plan.is_read) columns.push_back(plan.column);
    }
    return columns;
  }

  void rewind() {
    next_batch_ = 0;
    batch_.clear();
    batch_rows_left_ = 0;
    if (!messages_.is_file()) dictionaries_.clear();
  }

  void next(RowBatch& out) {
    while (batch_rows_left_ == 0) {
      if (!load_next()) {
        out.clear(batch_.size());
        return;
      }
    }
    const std::size_t rows = std::min(batch_rows_left_, batch_rows);
    out.clear(batch_.size());
    out.rows = rows;
    std::size_t at = 0;
    for (const FieldPlan& plan : plans_) {
      if (!plan.is_read) continue;
      if (out.is_wanted(at)) fill(plan, batch_[at], rows, out.columns[at], out.store);
      ++at;
    }
    batch_from_ += rows;
    batch_rows_left_ -= rows;
  }

 private:
  [[noreturn]] void fail(const std::string& what) const { messages_.fail(0, what); }

  /// The i-th buffer of a batch, which has to be so long at least.
  std::string_view buffer_of(const arrow::RecordBatch& batch, std::string_view body, std::size_t i,
                             std::size_t least) const {
    const auto* const buffers = batch.buffers();
    if (buffers == nullptr || i >= buffers->size()) fail("a batch that lacks buffers");
    const arrow::Buffer* const buffer = buffers->Get(static_cast<flatbuffers::uoffset_t>(i));
    const std::int64_t from = buffer->offset(), length = buffer->length();
    const auto size = static_cast<std::int64_t>(body.size());
    if (from < 0 || length < 0 || from > size || length > size - from) {
      fail("a buffer that lies outside of its batch");
    }
    if (static_cast<std::size_t>(length) < least) fail("a buffer that is too short");
    return body.substr(static_cast<std::size_t>(from), static_cast<std::size_t>(length));
  }

  void check_batch(const arrow::RecordBatch& batch, const std::string& of) const {
    if (batch.compression() != nullptr) {
      fail_input("{}: {}: its body is compressed, which is not read; write it uncompressed",
                 text_.name, of);
    }
    if (batch.length() < 0) fail("a batch of fewer than no rows");
  }

  static std::size_t bitmap_bytes(std::size_t rows) { return (rows + 7) / 8; }

  /// A column's buffers, beginning with the `buffer`-th; its node says how many are missing.
  ColumnData data_of(const arrow::Field& field, const arrow::RecordBatch& batch,
                     std::string_view body, std::size_t node, std::size_t buffer) const {
    const auto* const nodes = batch.nodes();
    if (nodes == nullptr || node >= nodes->size()) fail("a batch that lacks columns");
    const arrow::FieldNode* const field_node =
        nodes->Get(static_cast<flatbuffers::uoffset_t>(node));
    ColumnData data;
    data.rows = static_cast<std::size_t>(batch.length());
    if (field_node->length() != batch.length()) fail("a column that is not as long as its batch");
    if (field.type_type() == arrow::Type_Null && field.dictionary() == nullptr) return data;
    if (field_node->null_count() != 0) {
      data.validity = buffer_of(batch, body, buffer, bitmap_bytes(data.rows));
    }
    std::size_t width = 8;  // bytes a value
    if (field.dictionary() != nullptr) {
      width = index_width(field);
      const auto words = dictionaries_.find(field.dictionary()->id());
      if (words == dictionaries_.end()) fail("a dictionary that is not there");
      data.words = &words->second;
    } else {
      switch (field.type_type()) {
        case arrow::Type_Int:
          width = static_cast<std::size_t>(field.type_as_Int()->bit_width()) / 8;
          break;
        case arrow::Type_FloatingPoint:
          width = std::size_t{2} << static_cast<int>(field.type_as_FloatingPoint()->precision());
          break;
        case arrow::Type_Bool:
          data.values = buffer_of(batch, body, buffer + 1, bitmap_bytes(data.rows));
          return data;
        case arrow::Type_Date:
          width = field.type_as_Date()->unit() == arrow::DateUnit_DAY ? 4 : 8;
          break;
        case arrow::Type_Utf8:
        case arrow::Type_LargeUtf8:
          return with_texts(field, batch, body, buffer, data);
        default:
          break;
      }
    }
    if (data.rows > body.size() / width) fail("a buffer that is too short");
    data.values = buffer_of(batch, body, buffer + 1, data.rows * width);
    return data;
  }

  std::size_t index_width(const arrow::Field& field) const {
    const arrow::Int* const index = field.dictionary()->index_type();
    const int bits = index != nullptr ? index->bit_width() : 32;
    if (bits != 8 && bits != 16 && bits != 32 && bits != 64) fail("an index of an odd width");
    return static_cast<std::size_t>(bits) / 8;
  }

  /// Texts: their offsets have to ascend and lie within their bytes.
  ColumnData with_texts(const arrow::Field& field, const arrow::RecordBatch& batch,
                        std::string_view body, std::size_t buffer, ColumnData data) const {
    const bool large = field.type_type() == arrow::Type_LargeUtf8;
    const std::size_t width = large ? 8 : 4;
    data.bytes = buffer_of(batch, body, buffer + 2, 0);
    if (data.rows == 0) return data;
    if (data.rows > body.size() / width) fail("a buffer that is too short");
    data.values = buffer_of(batch, body, buffer + 1, (data.rows + 1) * width);
    std::int64_t before = 0;
    for (std::size_t i = 0; i <= data.rows; ++i) {
      const std::int64_t at =
          large ? value_at<std::int64_t>(data.values, i) : value_at<std::int32_t>(data.values, i);
      if (at < before || static_cast<std::uint64_t>(at) > data.bytes.size()) {
        fail(fmt::format("a text of column \"{}\" that lies outside", plan_name(field)));
      }
      before = at;
    }
    return data;
  }

  static std::string plan_name(const arrow::Field& field) {
    return field.name() != nullptr ? field.name()->str() : "";
  }

  static std::string_view text_at(const arrow::Field& field, const ColumnData& data,
                                  std::size_t i) {
    if (field.type_type() == arrow::Type_LargeUtf8) {
      const auto from = value_at<std::int64_t>(data.values, i);
      return data.bytes.substr(
          static_cast<std::size_t>(from),
          static_cast<std::size_t>(value_at<std::int64_t>(data.values, i + 1) - from));
    }
    const auto from = value_at<std::int32_t>(data.values, i);
    return data.bytes.substr(
        static_cast<std::size_t>(from),
        static_cast<std::size_t>(value_at<std::int32_t>(data.values, i + 1) - from));
  }

  void check_text(std::string_view text, const arrow::Field& field) const {
    if (is_utf8(text)) return;
    fail_input("{}: column \"{}\": \"{}\" is not UTF-8, as Arrow's texts are", text_.name,
               shown(plan_name(field)), shown(text));
  }

  const arrow::Field* field_of_dictionary(std::int64_t id) const {
    for (const FieldPlan& plan : plans_) {
      if (plan.field->dictionary() != nullptr && plan.field->dictionary()->id() == id) {
        return plan.field;
      }
    }
    return nullptr;
  }

  void take_dictionary(const Framed& framed) {
    const auto* const dictionary = framed.message->header_as_DictionaryBatch();
    if (dictionary == nullptr || dictionary->data() == nullptr) fail("a dictionary that is none");
    const arrow::Field* const field = field_of_dictionary(dictionary->id());
    const bool is_text = field != nullptr && (field->type_type() == arrow::Type_Utf8 ||
                                              field->type_type() == arrow::Type_LargeUtf8);
    if (!is_text) return;  // of a column that is not read
    check_batch(*dictionary->data(), fmt::format("column \"{}\"", shown(plan_name(*field))));
    ColumnData data;
    data.rows = static_cast<std::size_t>(dictionary->data()->length());
    data = with_texts(*field, *dictionary->data(), framed.body, 0, data);
    Words& words = dictionaries_[dictionary->id()];
    if (!dictionary->is_delta()) words.clear();
    for (std::size_t i = 0; i < data.rows; ++i) {
      words.push_back(text_at(*field, data, i));
      check_text(words.back(), *field);
    }
  }

  /// Loads the next batch that has rows. Returns false at the end.
  bool load_next() {
    while (next_batch_ < messages_.messages().size()) {
      const Framed& framed = messages_.messages()[next_batch_++];
      if (framed.message->header_type() == arrow::MessageHeader_DictionaryBatch) {
        take_dictionary(framed);
        continue;
      }
      const auto* const batch = framed.message->header_as_RecordBatch();
      if (batch == nullptr) fail("a message that is no batch of records");
      check_batch(*batch, "a batch of records");
      batch_.clear();
      std::size_t node = 0, buffer = 0;
      for (const FieldPlan& plan : plans_) {
        if (plan.is_read) {
          batch_.push_back(data_of(*plan.field, *batch, framed.body, node, buffer));
        }
        node += plan.nodes;
        buffer += plan.buffers;
      }
      batch_from_ = 0;
      batch_rows_left_ = static_cast<std::size_t>(batch->length());
      if (batch_rows_left_ > 0) return true;
    }
    return false;
  }

  /// Whole numbers past 2^63 - 1 make their column one of texts.
  void check_wide_integers() {
    for (FieldPlan& plan : plans_) {
      const arrow::Int* const type =
          plan.field->dictionary() == nullptr ? plan.field->type_as_Int() : nullptr;
      if (!plan.is_read || type == nullptr || type->is_signed() || type->bit_width() != 64)
        continue;
      rewind();
      std::size_t place = 0;
      for (const FieldPlan& other : plans_) {
        if (&other == &plan) break;
        place += other.is_read;
      }
      while (load_next()) {
        const ColumnData& data = batch_[place];
        for (std::size_t i = 0; i < data.rows; ++i) {
          const bool wide = value_at<std::uint64_t>(data.values, i) >> 63 != 0;
          if (wide && is_there(data, i)) plan.column.type = RowType::text;
        }
      }
    }
  }

  static bool is_there(const ColumnData& data, std::size_t i) {
    return data.validity.empty() ||
           (static_cast<unsigned char>(data.validity[i / 8]) >> (i % 8) & 1) != 0;
  }

  void fill(const FieldPlan& plan, const ColumnData& data, std::size_t rows, RowBatch::Cells& cells,
            std::deque<std::string>& store) const {
    const arrow::Field& field = *plan.field;
    const std::size_t from = batch_from_;
    if (field.type_type() == arrow::Type_Null && field.dictionary() == nullptr) {
      cells.bits.resize(rows);
      std::fill(cells.bits.begin(), cells.bits.end(), std::uint64_t{0});
      for (std::size_t i = 0; i < rows; ++i) cells.missing.push_back(static_cast<std::uint32_t>(i));
      return;
    }
    if (!data.validity.empty()) {
      for (std::size_t i = 0; i < rows; ++i) {
        if (!is_there(data, from + i)) cells.missing.push_back(static_cast<std::uint32_t>(i));
      }
    }
    if (plan.column.type == RowType::text) {
      if (field.dictionary() == nullptr && field.type_type() == arrow::Type_Int) {
        return fill_wide(data, rows, cells, store);
      }
      return fill_texts(field, data, rows, cells);
    }
    cells.bits.resize(rows);
    std::uint64_t* const out = cells.bits.data();
    const auto each = [&](auto own) {
      using Own = decltype(own);
      for (std::size_t i = 0; i < rows; ++i) {
        const Own value = value_at<Own>(data.values, from + i);
        if constexpr (std::is_floating_point_v<Own>) {
          out[i] = std::bit_cast<std::uint64_t>(static_cast<double>(value));
        } else {
          out[i] = static_cast<std::uint64_t>(static_cast<std::int64_t>(value));
        }
      }
    };
    switch (field.type_type()) {
      case arrow::Type_Int:
        fill_integers(*field.type_as_Int(), each);
        return;
      case arrow::Type_FloatingPoint:
        switch (field.type_as_FloatingPoint()->precision()) {
          case arrow::Precision_HALF:
            for (std::size_t i = 0; i < rows; ++i) {
              out[i] = std::bit_cast<std::uint64_t>(
                  half_to_double(value_at<std::uint16_t>(data.values, from + i)));
            }
            return;
          case arrow::Precision_SINGLE:
            return each(float{});
          default:
            return each(double{});
        }
      case arrow::Type_Bool:
        for (std::size_t i = 0; i < rows; ++i) {
          const std::size_t at = from + i;
          out[i] = static_cast<unsigned char>(data.values[at / 8]) >> (at % 8) & 1;
        }
        return;
      case arrow::Type_Date:
        if (field.type_as_Date()->unit() == arrow::DateUnit_DAY) {
          each(std::int32_t{});
          return scale_times(cells, std::int64_t{86'400} * 1'000'000'000);
        }
        each(std::int64_t{});
        return scale_times(cells, 1'000'000);
      default: {
        constexpr std::int64_t units[] = {1'000'000'000, 1'000'000, 1'000, 1};
        each(std::int64_t{});
        const auto unit = static_cast<std::size_t>(field.type_as_Timestamp()->unit());
        return scale_times(cells, units[unit % 4]);
      }
    }
  }

  template <typename Each>
  static void fill_integers(const arrow::Int& type, const Each& each) {
    switch (type.bit_width()) {
      case 8:
        return type.is_signed() ? each(std::int8_t{}) : each(std::uint8_t{});
      case 16:
        return type.is_signed() ? each(std::int16_t{}) : each(std::uint16_t{});
      case 32:
        return type.is_signed() ? each(std::int32_t{}) : each(std::uint32_t{});
      default:
        return each(std::int64_t{});
    }
  }

  /// Integers of 64 bits without a sign, as they are written.
  void fill_wide(const ColumnData& data, std::size_t rows, RowBatch::Cells& cells,
                 std::deque<std::string>& store) const {
    cells.texts.resize(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      if (!is_there(data, batch_from_ + i)) continue;
      const auto value = value_at<std::uint64_t>(data.values, batch_from_ + i);
      cells.texts[i] = store.emplace_back(fmt::to_string(value));
    }
  }

  void fill_texts(const arrow::Field& field, const ColumnData& data, std::size_t rows,
                  RowBatch::Cells& cells) const {
    cells.texts.resize(rows);
    if (field.dictionary() == nullptr) {
      for (std::size_t i = 0; i < rows; ++i) {
        if (!is_there(data, batch_from_ + i)) continue;
        cells.texts[i] = text_at(field, data, batch_from_ + i);
        check_text(cells.texts[i], field);
      }
      return;
    }
    const std::size_t width = index_width(field);
    for (std::size_t i = 0; i < rows; ++i) {
      if (!is_there(data, batch_from_ + i)) continue;
      const std::size_t at = batch_from_ + i;
      const std::uint64_t code = width == 1   ? value_at<std::uint8_t>(data.values, at)
                                 : width == 2 ? value_at<std::uint16_t>(data.values, at)
                                 : width == 4 ? value_at<std::uint32_t>(data.values, at)
                                              : value_at<std::uint64_t>(data.values, at);
      if (code >= data.words->size()) fail("a code that is not in its dictionary");
      cells.texts[i] = (*data.words)[code];
    }
  }

  SourceText text_;
  ArrowMessages messages_;
  std::vector<FieldPlan> plans_;
  std::map<std::int64_t, Words> dictionaries_;
  std::size_t next_batch_ = 0;
  std::vector<ColumnData> batch_;  // of the columns that are read
  std::size_t batch_from_ = 0, batch_rows_left_ = 0;
};

}  // namespace

bool begins_as_arrow(std::string_view head) {
  if (head.starts_with(arrow_file_mark)) return true;
  // A stream begins with a message's size; with the mark before it no text can begin.
  return head.size() >= 8 && head.starts_with("\xff\xff\xff\xff");
}

std::shared_ptr<RowSource> open_arrow(const SourceText& text, const ReadOptions& options) {
  return row_source_of(std::make_shared<ArrowRows>(text, options));
}

}  // namespace zerobeat::detail
