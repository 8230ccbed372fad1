#include <algorithm>
#include <zerobeat/table/table.hpp>

namespace zerobeat::inline v1 {

namespace {

constexpr std::size_t few_columns = 16;  // are looked through as fast

std::size_t slot_of(std::string_view name, std::size_t slots) {
  return std::hash<std::string_view>()(name) & (slots - 1);
}

}  // namespace

std::optional<std::size_t> Table::find(std::string_view name) const {
  if (index_.empty()) {
    const auto at = std::ranges::find(names_, name);
    if (at == names_.end()) return std::nullopt;
    return static_cast<std::size_t>(at - names_.begin());
  }
  for (std::size_t slot = slot_of(name, index_.size());; slot = (slot + 1) & (index_.size() - 1)) {
    if (index_[slot] == 0) return std::nullopt;
    if (names_[index_[slot] - 1] == name) return index_[slot] - 1;
  }
}

void Table::add_to_index(std::size_t place) {
  if (names_.size() < few_columns) return;
  if (index_.size() < 2 * names_.size()) {
    std::size_t slots = 64;
    while (slots < 4 * names_.size()) slots *= 2;
    index_.assign(slots, 0);
    for (std::size_t i = 0; i < place; ++i) add_to_index(i);
  }
  std::size_t slot = slot_of(names_[place], index_.size());
  while (index_[slot] != 0) slot = (slot + 1) & (index_.size() - 1);
  index_[slot] = static_cast<std::uint32_t>(place + 1);
}

std::size_t Table::place(std::string_view name) const {
  if (const auto at = find(name)) return *at;
  if (names_.empty()) fail_usage("there is no column \"{}\"; there is none but the time", name);
  fail_usage("there is no column \"{}\"{}", name, did_you_mean(name, names_));
}

const Column& Table::column(std::string_view name) const& { return columns_[place(name)]; }

void Table::add(std::string name, Column column) {
  if (find(name))
    fail_usage("there would be two columns \"{}\"; give one of them another name", name);
  if (column.size() != rows_) {
    fail_usage("column \"{}\" has {} rows where the table has {}", name, column.size(), rows_);
  }
  names_.push_back(std::move(name));
  columns_.push_back(std::move(column));
  add_to_index(names_.size() - 1);
}

void Table::replace(std::size_t place, Column column) {
  if (place >= columns_.size()) {
    fail_usage("there is no column in place {}; there are {}", place, columns_.size());
  }
  if (column.size() != rows_) {
    fail_usage("column \"{}\" would have {} rows where the table has {}", names_[place],
               column.size(), rows_);
  }
  columns_[place] = std::move(column);
}

std::vector<std::string> Table::numeric_names() const {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    if (columns_[i].is_numeric()) names.push_back(names_[i]);
  }
  return names;
}

std::vector<std::string> Table::chosen(const std::vector<std::string>& on,
                                       bool numeric_only) const {
  if (on.empty()) return numeric_names();
  for (const auto& name : on) {
    const Column& named = column(name);
    if (numeric_only && !named.is_numeric()) {
      fail_usage("column \"{}\" holds {}, not numbers", name,
                 enum_words(named.type())[static_cast<std::size_t>(named.type())]);
    }
    if (std::ranges::count(on, name) > 1) fail_usage("column \"{}\" is named twice", name);
  }
  return on;
}

Table Table::gather(std::span<const std::int64_t> rows) const {
  Table out(rows.size());
  for (std::size_t i = 0; i < columns_.size(); ++i) out.add(names_[i], columns_[i].gather(rows));
  return out;
}

Table Table::gather(std::span<const RowStretch> stretches) const {
  std::size_t rows = 0;
  for (const RowStretch& stretch : stretches) rows += stretch.size();
  Table out(rows);
  for (std::size_t i = 0; i < names_.size(); ++i) out.add(names_[i], columns_[i].gather(stretches));
  return out;
}

}  // namespace zerobeat
