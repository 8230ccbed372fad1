#include "io/write/write_json.hpp"

#include <nlohmann/json.hpp>

namespace zerobeat::inline v1::detail {

namespace {

std::string json_text(std::string_view text) {
  return nlohmann::json(std::string(text))
      .dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

/// The cells of one column as JSON values.
class Values {
 public:
  Values(const std::string& name, const Column& column, const WriteOptions& options,
         const Zone* zone)
      : column_(column),
        digits_(options.digits),
        member_(json_text(name) + ":"),
        plain_(column, options, zone, Instant{}, csv_shape) {
    if (column.type() != Column::Type::text) return;
    for (const auto& text : column.dictionary()) texts_.push_back(json_text(text));
  }

  void write(Text& out, std::size_t row) const {
    append(out, member_);
    if (!column_.valid(row)) return append(out, "null");
    switch (column_.type()) {
      case Column::Type::text:
        return append(out, texts_[static_cast<std::size_t>(column_.codes()[row])]);
      case Column::Type::time: {
        Text time;
        plain_.write(time, row);
        return append(out, json_text({time.data(), time.size()}));
      }
      case Column::Type::number: {
        const double number = column_.numbers()[row];
        if (std::isfinite(number)) return append_number(out, number, digits_);
        if (std::isnan(number)) return append(out, "null");
        return append(out, number > 0 ? "\"inf\"" : "\"-inf\"");
      }
      default:
        plain_.write(out, row);
    }
  }

 private:
  const Column& column_;
  std::optional<int> digits_;
  std::string member_;
  CellWriter plain_;
  std::vector<std::string> texts_;
};

}  // namespace

void write_json_lines(const Table& table, Output& output, const WriteOptions& options,
                      const Zone& zone) {
  std::vector<Values> columns;
  columns.reserve(table.columns().size());
  for (std::size_t c = 0; c < table.columns().size(); ++c) {
    columns.emplace_back(table.names()[c], table.columns()[c], options,
                         options.local ? &zone : nullptr);
  }
  write_blocks(table.rows(), output, [&](Text& text, std::size_t begin, std::size_t end) {
    for (std::size_t row = begin; row < end; ++row) {
      for (std::size_t c = 0; c < columns.size(); ++c) {
        text.push_back(c == 0 ? '{' : ',');
        columns[c].write(text, row);
      }
      append(text, "}\n");
    }
  });
}

}  // namespace zerobeat::detail
