#include "io/write/write_json.hpp"

#include <nlohmann/json.hpp>

namespace zerobeat::inline v1::detail {

namespace {

std::string json_text(std::string_view text) {
  return nlohmann::json(std::string(text))
      .dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

/// One column as members of JSON objects.
struct Member {
  Member(const std::string& name, const Column& column, const WriteOptions& options,
         const Zone* zone)
      : start(json_text(name) + ":"), cells(column, options, zone, Instant{}, csv_shape) {
    if (column.type() != Column::Type::text) return;
    for (const auto& text : column.dictionary()) texts.add(json_text(text));
  }

  std::string start;
  CellColumn cells;
  ReadyTexts texts;  // of the dictionary
};

/// Writes a column's members, one after the other. One thread.
class MemberWriter {
 public:
  MemberWriter(const Column& column, const Member& member)
      : column_(column), member_(member), cells_(member.cells) {}

  void write(Text& out, std::size_t row) {
    append(out, member_.start);
    if (!column_.valid(row)) return append(out, "null");
    if (column_.type() == Column::Type::text) {
      const auto code = static_cast<std::size_t>(column_.codes()[row]);
      return end_at(out, member_.texts.write(room_in(out, member_.texts.longest()), code));
    }
    if (column_.type() == Column::Type::number) {
      const double number = column_.numbers()[row];
      if (std::isnan(number)) return append(out, "null");
      if (std::isinf(number)) return append(out, number > 0 ? "\"inf\"" : "\"-inf\"");
    }
    const std::size_t from = out.size();
    end_at(out, cells_.write(room_in(out, member_.cells.longest()), row));
    if (column_.type() != Column::Type::time) return;
    const std::string time = json_text({out.data() + from, out.size() - from});
    out.resize(from);
    append(out, time);
  }

 private:
  const Column& column_;
  const Member& member_;
  CellWriter cells_;
};

}  // namespace

void write_json_lines(const Table& table, Output& output, const WriteOptions& options,
                      const Zone& zone) {
  std::vector<Member> members;
  members.reserve(table.columns().size());
  for (std::size_t c = 0; c < table.columns().size(); ++c) {
    members.emplace_back(table.names()[c], table.columns()[c], options,
                         options.local ? &zone : nullptr);
  }
  write_blocks(table.rows(), output, [&](Text& text, std::size_t begin, std::size_t end) {
    std::vector<MemberWriter> writers;
    for (std::size_t c = 0; c < members.size(); ++c) {
      writers.emplace_back(table.columns()[c], members[c]);
    }
    for (std::size_t row = begin; row < end; ++row) {
      for (std::size_t c = 0; c < writers.size(); ++c) {
        text.push_back(c == 0 ? '{' : ',');
        writers[c].write(text, row);
      }
      append(text, "}\n");
    }
  });
}

}  // namespace zerobeat::detail
