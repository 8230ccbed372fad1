#include "io/write/write_arrow.hpp"

#include <arrow_generated.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <vector>
#include <zerobeat/base/error.hpp>

namespace zerobeat::inline v1::detail {

namespace {

/// Rows of a batch: whole words of every bitmap.
constexpr std::size_t rows_of_batch = std::size_t{1} << 16;
constexpr std::size_t alignment = 64;

/// A message's buffers, one after the other, each at a multiple of `alignment`.
class Body {
 public:
  void add(const void* data, std::size_t bytes) {
    parts_.push_back({static_cast<const char*>(data), bytes});
    places_.emplace_back(static_cast<std::int64_t>(size_), static_cast<std::int64_t>(bytes));
    size_ += padded(bytes);
  }
  void add_own(std::vector<std::int64_t> own) {
    const auto& kept =
        own_.emplace_back(std::make_unique<std::vector<std::int64_t>>(std::move(own)));
    add(kept->data(), kept->size() * sizeof(std::int64_t));
  }
  void add_own(std::string text) {
    const auto& kept = texts_.emplace_back(std::make_unique<std::string>(std::move(text)));
    add(kept->data(), kept->size());
  }
  void add_own(std::vector<std::int32_t> own) {
    const auto& kept =
        offsets_.emplace_back(std::make_unique<std::vector<std::int32_t>>(std::move(own)));
    add(kept->data(), kept->size() * sizeof(std::int32_t));
  }

  std::size_t size() const { return size_; }
  const std::vector<arrow::Buffer>& places() const { return places_; }
  void write(Output& output) const {
    static constexpr std::array<char, alignment> zeros{};
    for (const std::string_view part : parts_) {
      output.write(part);
      output.write({zeros.data(), padded(part.size()) - part.size()});
    }
  }

 private:
  static std::size_t padded(std::size_t bytes) {
    return (bytes + alignment - 1) / alignment * alignment;
  }

  std::vector<std::string_view> parts_;
  std::vector<arrow::Buffer> places_;
  std::vector<std::unique_ptr<std::vector<std::int64_t>>> own_;
  std::vector<std::unique_ptr<std::vector<std::int32_t>>> offsets_;
  std::vector<std::unique_ptr<std::string>> texts_;
  std::size_t size_ = 0;
};

arrow::TimeUnit unit_of(Precision precision) {
  switch (precision) {
    case Precision::s:
      return arrow::TimeUnit_SECOND;
    case Precision::ms:
      return arrow::TimeUnit_MILLISECOND;
    case Precision::us:
      return arrow::TimeUnit_MICROSECOND;
    default:
      return arrow::TimeUnit_NANOSECOND;
  }
}

std::int64_t nanoseconds_of_unit(arrow::TimeUnit unit) {
  constexpr std::int64_t units[] = {1'000'000'000, 1'000'000, 1'000, 1};
  return units[static_cast<std::size_t>(unit)];
}

class ArrowWriter {
 public:
  ArrowWriter(const Table& table, Output& output, const WriteOptions& options, const Zone& zone)
      : table_(table),
        output_(output),
        unit_(unit_of(options.precision)),
        zone_(options.local ? zone.name() : "UTC"),
        is_file_(!output.is_direct()) {}

  void write() {
    if (is_file_) put(std::string_view("ARROW1\0\0", 8));
    write_schema();
    for (std::size_t c = 0; c < table_.columns().size(); ++c) {
      if (table_.columns()[c].type() == Column::Type::text) write_dictionary(c);
    }
    for (std::size_t from = 0; from < table_.rows() && !output_.reader_gone();
         from += rows_of_batch) {
      write_batch(from, std::min(rows_of_batch, table_.rows() - from));
    }
    put(std::string_view("\xff\xff\xff\xff\0\0\0\0", 8));
    if (is_file_) write_footer();
  }

 private:
  void put(std::string_view bytes) {
    output_.write(bytes);
    place_ += bytes.size();
  }

  flatbuffers::Offset<arrow::Schema> schema(flatbuffers::FlatBufferBuilder& builder) const {
    std::vector<flatbuffers::Offset<arrow::Field>> fields;
    for (std::size_t c = 0; c < table_.columns().size(); ++c) {
      const auto name = builder.CreateString(table_.names()[c]);
      flatbuffers::Offset<void> type;
      flatbuffers::Offset<arrow::DictionaryEncoding> dictionary;
      arrow::Type kind{};
      switch (table_.columns()[c].type()) {
        case Column::Type::number:
          kind = arrow::Type_FloatingPoint;
          type = arrow::CreateFloatingPoint(builder, arrow::Precision_DOUBLE).Union();
          break;
        case Column::Type::integer:
          kind = arrow::Type_Int;
          type = arrow::CreateInt(builder, 64, true).Union();
          break;
        case Column::Type::boolean:
          kind = arrow::Type_Bool;
          type = arrow::CreateBool(builder).Union();
          break;
        case Column::Type::text:
          kind = arrow::Type_Utf8;
          type = arrow::CreateUtf8(builder).Union();
          dictionary = arrow::CreateDictionaryEncoding(builder, static_cast<std::int64_t>(c),
                                                       arrow::CreateInt(builder, 32, true));
          break;
        case Column::Type::time:
          kind = arrow::Type_Timestamp;
          type = arrow::CreateTimestamp(builder, unit_, builder.CreateString(zone_)).Union();
          break;
      }
      const auto children = builder.CreateVector(std::vector<flatbuffers::Offset<arrow::Field>>());
      fields.push_back(arrow::CreateField(builder, name, true, kind, type, dictionary, children));
    }
    return arrow::CreateSchema(builder, arrow::Endianness_Little, builder.CreateVector(fields));
  }

  /// Writes a message and what it is of, and notes where.
  void put_message(flatbuffers::FlatBufferBuilder& builder, arrow::MessageHeader kind,
                   flatbuffers::Offset<void> header, const Body& body,
                   std::vector<arrow::Block>* blocks) {
    builder.Finish(arrow::CreateMessage(builder, arrow::MetadataVersion_V5, kind, header,
                                        static_cast<std::int64_t>(body.size())));
    std::string metadata(reinterpret_cast<const char*>(builder.GetBufferPointer()),
                         builder.GetSize());
    metadata.resize((metadata.size() + 7) / 8 * 8);
    const std::uint32_t framed[] = {0xffffffff, static_cast<std::uint32_t>(metadata.size())};
    if (blocks != nullptr) {
      blocks->emplace_back(static_cast<std::int64_t>(place_),
                           static_cast<std::int32_t>(metadata.size() + sizeof framed),
                           static_cast<std::int64_t>(body.size()));
    }
    put({reinterpret_cast<const char*>(framed), sizeof framed});
    put(metadata);
    body.write(output_);
    place_ += body.size();
  }

  void write_schema() {
    flatbuffers::FlatBufferBuilder builder;
    const auto own = schema(builder);
    put_message(builder, arrow::MessageHeader_Schema, own.Union(), Body(), nullptr);
  }

  flatbuffers::Offset<arrow::RecordBatch> batch(flatbuffers::FlatBufferBuilder& builder,
                                                std::size_t rows,
                                                const std::vector<arrow::FieldNode>& nodes,
                                                const Body& body) const {
    return arrow::CreateRecordBatch(builder, static_cast<std::int64_t>(rows),
                                    builder.CreateVectorOfStructs(nodes),
                                    builder.CreateVectorOfStructs(body.places()));
  }

  void write_dictionary(std::size_t column) {
    const auto& words = table_.columns()[column].dictionary();
    std::string bytes;
    std::vector<std::int32_t> offsets{0};
    for (const auto& word : words) {
      bytes += word;
      constexpr std::size_t most = std::size_t{1} << 31;
      if (bytes.size() >= most) {
        fail_output("column \"{}\": its texts are more than 2 GiB; leave it out: select ‹columns›",
                    table_.names()[column]);
      }
      offsets.push_back(static_cast<std::int32_t>(bytes.size()));
    }
    Body body;
    body.add(nullptr, 0);
    body.add_own(std::move(offsets));
    body.add_own(std::move(bytes));
    flatbuffers::FlatBufferBuilder builder;
    const auto rows = static_cast<std::int64_t>(words.size());
    const auto data = batch(builder, words.size(), {arrow::FieldNode(rows, 0)}, body);
    const auto header =
        arrow::CreateDictionaryBatch(builder, static_cast<std::int64_t>(column), data);
    put_message(builder, arrow::MessageHeader_DictionaryBatch, header.Union(), body,
                &dictionaries_);
  }

  void write_batch(std::size_t from, std::size_t rows) {
    Body body;
    std::vector<arrow::FieldNode> nodes;
    for (const Column& column : table_.columns()) add_column(column, from, rows, nodes, body);
    flatbuffers::FlatBufferBuilder builder;
    const auto own = batch(builder, rows, nodes, body);
    put_message(builder, arrow::MessageHeader_RecordBatch, own.Union(), body, &batches_);
  }

  void add_column(const Column& column, std::size_t from, std::size_t rows,
                  std::vector<arrow::FieldNode>& nodes, Body& body) const {
    std::int64_t missing = 0;
    for (std::size_t i = 0; i < rows && !column.validity().all(); ++i) {
      missing += !column.valid(from + i);
    }
    nodes.emplace_back(static_cast<std::int64_t>(rows), missing);
    const std::size_t bitmap = (rows + 7) / 8;
    if (missing > 0) {
      body.add(column.validity().bits() + from / 64, bitmap);
    } else {
      body.add(nullptr, 0);
    }
    switch (column.type()) {
      case Column::Type::number:
        return body.add(column.numbers().data() + from, rows * sizeof(double));
      case Column::Type::integer:
        return body.add(column.integers().data() + from, rows * sizeof(std::int64_t));
      case Column::Type::boolean:
        return body.add(column.boolean_bits() + from / 64, bitmap);
      case Column::Type::text:
        return body.add(column.codes().data() + from, rows * sizeof(std::int32_t));
      case Column::Type::time:
        break;
    }
    const std::int64_t unit = nanoseconds_of_unit(unit_);
    const auto times = column.times().subspan(from, rows);
    if (unit == 1) return body.add(times.data(), rows * sizeof(std::int64_t));
    std::vector<std::int64_t> scaled(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      const std::int64_t t = nanoseconds_of(times[i]);
      scaled[i] = t / unit - (t % unit < 0);
    }
    body.add_own(std::move(scaled));
  }

  void write_footer() {
    flatbuffers::FlatBufferBuilder builder;
    const auto own = schema(builder);
    const auto dictionaries = builder.CreateVectorOfStructs(dictionaries_);
    const auto batches = builder.CreateVectorOfStructs(batches_);
    builder.Finish(
        arrow::CreateFooter(builder, arrow::MetadataVersion_V5, own, dictionaries, batches));
    const auto size = static_cast<std::uint32_t>(builder.GetSize());
    put({reinterpret_cast<const char*>(builder.GetBufferPointer()), size});
    put({reinterpret_cast<const char*>(&size), sizeof size});
    put("ARROW1");
  }

  const Table& table_;
  Output& output_;
  arrow::TimeUnit unit_;
  std::string zone_;
  bool is_file_;
  std::size_t place_ = 0;
  std::vector<arrow::Block> dictionaries_, batches_;
};

}  // namespace

void write_arrow(const Table& table, Output& output, const WriteOptions& options,
                 const Zone& zone) {
  if (options.time_as.kind != TimeForm::Kind::rfc3339) {
    fail_usage("‹time_as› {}: arrow has times as such", to_text(options.time_as));
  }
  if (options.digits) fail_usage("‹digits› {}: arrow has numbers as such", *options.digits);
  ArrowWriter(table, output, options, zone).write();
}

}  // namespace zerobeat::detail
