#include <algorithm>
#include <memory>
#include <zerobeat/base/error.hpp>
#include <zerobeat/io/arrow_data.hpp>

#include "io/write/cell_writer.hpp"

namespace zerobeat::inline v1 {

namespace {

/// What a schema's pointers point to.
struct OwnSchema {
  std::string format, name;
  std::vector<ArrowSchema> children{};
  std::vector<ArrowSchema*> pointers{};
  std::unique_ptr<ArrowSchema> dictionary{};
};

/// Releases a struct of either kind: its children, its dictionary, and what it owns.
template <typename Own, typename Struct>
void release(Struct* given) {
  const std::unique_ptr<Own> own(static_cast<Own*>(given->private_data));
  for (Struct& child : own->children) {
    if (child.release != nullptr) child.release(&child);
  }
  if (own->dictionary && own->dictionary->release != nullptr) {
    own->dictionary->release(own->dictionary.get());
  }
  given->release = nullptr;
}

void fill(ArrowSchema& schema, std::unique_ptr<OwnSchema> own) {
  for (ArrowSchema& child : own->children) own->pointers.push_back(&child);
  schema = {};
  schema.format = own->format.c_str();
  schema.name = own->name.c_str();
  schema.flags = ARROW_FLAG_NULLABLE;
  schema.n_children = static_cast<std::int64_t>(own->children.size());
  schema.children = own->pointers.data();
  schema.dictionary = own->dictionary.get();
  schema.release = release<OwnSchema, ArrowSchema>;
  schema.private_data = own.release();
}

/// What an array's pointers point to. The column keeps the readings.
struct OwnArray {
  Column column{};
  std::vector<std::int32_t> offsets{};
  std::string words{};
  std::vector<const void*> buffers{};
  std::vector<ArrowArray> children{};
  std::vector<ArrowArray*> pointers{};
  std::unique_ptr<ArrowArray> dictionary{};
};

void fill(ArrowArray& array, std::unique_ptr<OwnArray> own, std::size_t length,
          std::size_t missing) {
  for (ArrowArray& child : own->children) own->pointers.push_back(&child);
  array = {};
  array.length = static_cast<std::int64_t>(length);
  array.null_count = static_cast<std::int64_t>(missing);
  array.n_buffers = static_cast<std::int64_t>(own->buffers.size());
  array.n_children = static_cast<std::int64_t>(own->children.size());
  array.buffers = own->buffers.data();
  array.children = own->pointers.data();
  array.dictionary = own->dictionary.get();
  array.release = release<OwnArray, ArrowArray>;
  array.private_data = own.release();
}

std::string format_of(Column::Type type, const std::string& zone) {
  switch (type) {
    case Column::Type::number:
      return "g";
    case Column::Type::integer:
      return "l";
    case Column::Type::boolean:
      return "b";
    case Column::Type::text:
      return "i";
    default:
      return "tsn:" + zone;
  }
}

const void* values_of(const Column& column) {
  switch (column.type()) {
    case Column::Type::number:
      return column.numbers().data();
    case Column::Type::integer:
      return column.integers().data();
    case Column::Type::boolean:
      return column.boolean_bits();
    case Column::Type::text:
      return column.codes().data();
    default:
      return column.times().data();
  }
}

std::unique_ptr<ArrowArray> words_of(const std::string& name, const Column& column) {
  auto own = std::make_unique<OwnArray>();
  own->offsets.push_back(0);
  for (const auto& word : column.dictionary()) {
    own->words += word;
    constexpr std::size_t most = std::size_t{1} << 31;
    if (own->words.size() >= most) fail_usage("column \"{}\": its texts are more than 2 GiB", name);
    own->offsets.push_back(static_cast<std::int32_t>(own->words.size()));
  }
  own->buffers = {nullptr, own->offsets.data(), own->words.data()};
  auto array = std::make_unique<ArrowArray>();
  fill(*array, std::move(own), column.dictionary().size(), 0);
  return array;
}

void export_table(const Table& table, const std::string& zone, ArrowSchema* schema,
                  ArrowArray* array) {
  auto schemas = std::make_unique<OwnSchema>();
  auto arrays = std::make_unique<OwnArray>();
  schemas->format = "+s";
  schemas->children.resize(table.columns().size());
  arrays->children.resize(table.columns().size());
  arrays->buffers = {nullptr};
  for (std::size_t c = 0; c < table.columns().size(); ++c) {
    const Column& column = table.columns()[c];
    auto own_schema = std::make_unique<OwnSchema>();
    auto own_array = std::make_unique<OwnArray>();
    own_schema->format = format_of(column.type(), zone);
    own_schema->name = table.names()[c];
    own_array->column = column;
    own_array->buffers = {column.validity().bits(), values_of(column)};
    if (column.type() == Column::Type::text) {
      auto words = std::make_unique<OwnSchema>();
      words->format = "u";
      own_schema->dictionary = std::make_unique<ArrowSchema>();
      fill(*own_schema->dictionary, std::move(words));
      own_array->dictionary = words_of(table.names()[c], column);
    }
    fill(schemas->children[c], std::move(own_schema));
    fill(arrays->children[c], std::move(own_array), column.size(), column.validity().missing());
  }
  fill(*schema, std::move(schemas));
  fill(*array, std::move(arrays), table.rows(), 0);
}

}  // namespace

void export_arrow(const Timeline& timeline, ArrowSchema* schema, ArrowArray* array, bool local) {
  export_table(detail::table_of(timeline, {}), local ? timeline.zone().name() : "UTC", schema,
               array);
}

void export_arrow(const Table& table, ArrowSchema* schema, ArrowArray* array, const Zone& zone) {
  export_table(table, zone.name(), schema, array);
}

}  // namespace zerobeat
