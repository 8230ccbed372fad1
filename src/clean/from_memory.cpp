#include <memory>
#include <utility>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/from_memory.hpp>

namespace zerobeat::inline v1 {

namespace {

std::shared_ptr<const SourceAccount> account_of(const MemoryOptions& options, std::size_t rows) {
  SourceAccount account;
  account.source = account.name = options.name;
  account.records = account.kept = static_cast<std::int64_t>(rows);
  account.columns = {options.time_name};
  SourcePart& part = account.parts.emplace_back();
  part.name = options.name;
  part.records = part.kept = account.records;
  part.row_text = [](std::uint64_t, std::int32_t) { return std::string(); };
  return std::make_shared<const SourceAccount>(std::move(account));
}

}  // namespace

Timeline timeline(Column times, std::vector<NamedColumn> columns, const MemoryOptions& options) {
  if (times.size() > 0 && times.type() != Column::Type::time) {
    fail_usage("the times of {} are {}s, not times", shown(options.name),
               enum_words(times.type())[static_cast<std::size_t>(times.type())]);
  }
  Records records;
  records.name = options.name;
  records.time.name = options.time_name;
  records.time.zone = options.zone;
  records.time.axis = options.axis;
  records.time.fault_column = 0;
  records.key_name = options.key;
  const std::size_t rows = times.size();
  records.times = rows == 0 ? Column::times({}) : std::move(times);
  records.values = Table(rows);
  for (NamedColumn& column : columns) {
    const bool is_key = !options.key.empty() && column.name == options.key;
    if (column.name == options.time_name || (is_key && records.keys)) {
      fail_usage("two columns would be named \"{}\"; give one of them another name",
                 shown(column.name));
    }
    if (is_key) {
      records.keys = std::move(column.column);
    } else {
      records.values.add(std::move(column.name), std::move(column.column));
    }
  }
  if (!options.key.empty() && !records.keys) {
    fail_usage("‹key› {}: there is no such column", shown(options.key));
  }
  Places places;
  const Places::Run run{0, 1};
  places.add_rows(0, 1, rows, {&run, 1});
  records.places = std::make_shared<const Places>(std::move(places));
  records.source = account_of(options, rows);
  return settle(records);
}

Timeline timeline(const Table& table, const MemoryOptions& options) {
  std::vector<NamedColumn> columns;
  for (std::size_t i = 0; i < table.names().size(); ++i) {
    if (table.names()[i] == options.time_name) continue;
    columns.push_back({table.names()[i], table.columns()[i]});
  }
  return timeline(table.column(options.time_name), std::move(columns), options);
}

}  // namespace zerobeat
