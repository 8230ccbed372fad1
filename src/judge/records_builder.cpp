#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <unordered_map>
#include <utility>
#include <zerobeat/base/text.hpp>
#include <zerobeat/judge/records_builder.hpp>

namespace zerobeat::inline v1 {

namespace detail {

/// Texts by number, in order of appearance.
class Words {
 public:
  std::int32_t code_of(std::string_view word) {
    const auto at = codes_.find(std::string(word));
    if (at != codes_.end()) return at->second;
    const auto code = static_cast<std::int32_t>(words_->size());
    words_->emplace_back(word);
    codes_.emplace(word, code);
    return code;
  }
  std::shared_ptr<const Column::Dictionary> dictionary() const { return words_; }

 private:
  std::shared_ptr<Column::Dictionary> words_ = std::make_shared<Column::Dictionary>();
  std::unordered_map<std::string, std::int32_t> codes_;
};

/// A column that grows reading by reading; of no type until one is there.
class GrowingColumn {
 public:
  /// False when the reading is of another type; it is missing then.
  bool add(const Reading& reading) {
    const bool fits = take(reading);
    if (!fits || is_missing(reading)) {
      missing_.push_back(rows_);
      hold({});
    }
    ++rows_;
    return fits;
  }

  Column column() && {
    ValidityBuilder there(rows_);
    for (const std::size_t row : missing_) there.set_missing(row);
    Validity validity = there.take();
    switch (type_.value_or(Column::Type::number)) {
      case Column::Type::integer:
        return Column::integers(std::move(integers_), std::move(validity));
      case Column::Type::text:
        return Column::text(std::move(codes_), words_.dictionary(), std::move(validity));
      case Column::Type::boolean: {
        Buffer<std::uint64_t> bits((rows_ + 63) / 64, 0);
        for (std::size_t i = 0; i < rows_; ++i) {
          bits[i / 64] |= std::uint64_t{codes_[i] != 0} << (i % 64);
        }
        return Column::booleans(std::move(bits), rows_, std::move(validity));
      }
      default:
        break;
    }
    numbers_.resize(rows_);
    return Column::numbers(std::move(numbers_), std::move(validity));
  }

 private:
  static bool is_missing(const Reading& reading) {
    const double* const number = std::get_if<double>(&reading);
    return std::holds_alternative<std::monostate>(reading) ||
           (number != nullptr && *number != *number);
  }

  /// Holds the reading when it is there and fits.
  bool take(const Reading& reading) {
    if (is_missing(reading)) return true;
    using Type = Column::Type;
    constexpr Type types[] = {Type::number, Type::number, Type::integer, Type::boolean, Type::text};
    const Type type = types[reading.index()];
    if (!type_) begin(type);
    if (type_ == Type::integer && type == Type::number) make_numbers();
    const bool fits = type == type_ || (type == Type::integer && type_ == Type::number);
    if (fits) hold(reading);
    return fits;
  }

  void begin(Column::Type type) {
    type_ = type;
    for (std::size_t i = 0; i < rows_; ++i) hold({});
  }

  void hold(const Reading& reading) {
    if (!type_) return;
    const auto* const whole = std::get_if<std::int64_t>(&reading);
    switch (*type_) {
      case Column::Type::integer:
        return integers_.push_back(whole == nullptr ? 0 : *whole);
      case Column::Type::text: {
        const auto* const text = std::get_if<std::string_view>(&reading);
        return codes_.push_back(text == nullptr ? 0 : words_.code_of(*text));
      }
      case Column::Type::boolean: {
        const bool* const truth = std::get_if<bool>(&reading);
        return codes_.push_back(truth != nullptr && *truth ? 1 : 0);
      }
      default: {
        const double* const number = std::get_if<double>(&reading);
        numbers_.push_back(number != nullptr  ? *number
                           : whole != nullptr ? static_cast<double>(*whole)
                                              : 0);
      }
    }
  }

  void make_numbers() {
    for (const std::int64_t whole : integers_) numbers_.push_back(static_cast<double>(whole));
    integers_ = {};
    type_ = Column::Type::number;
  }

  std::optional<Column::Type> type_;
  std::size_t rows_ = 0;
  std::vector<std::size_t> missing_;
  Buffer<double> numbers_;
  Buffer<std::int64_t> integers_;
  Buffer<std::int32_t> codes_;  // of texts, or truths as 0 and 1
  Words words_;
};

}  // namespace detail

namespace {

std::string text_of(const Reading& reading) {
  if (const auto* text = std::get_if<std::string_view>(&reading)) return std::string(*text);
  if (const auto* truth = std::get_if<bool>(&reading)) return *truth ? "true" : "false";
  if (const auto* whole = std::get_if<std::int64_t>(&reading)) return fmt::format("{}", *whole);
  return fmt::format("{}", std::get<double>(reading));
}

constexpr std::string_view time_name = "time";

}  // namespace

struct RecordsBuilder::Parts {
  std::string name;
  std::vector<std::string> column_names;
  std::string key_name;
  Zone zone;
  Buffer<Instant> times{};
  Buffer<std::int32_t> keys{};
  detail::Words key_words{};
  std::vector<detail::GrowingColumn> columns{};
  Places places{};
  SourceAccount account{};
  /// Raw texts of records (column -1) and readings at fault.
  std::map<std::pair<std::uint64_t, std::int32_t>, std::string> raw{};

  Parts(std::string name_, std::vector<std::string> columns_, std::string key_, Zone zone_)
      : name(std::move(name_)),
        column_names(std::move(columns_)),
        key_name(std::move(key_)),
        zone(std::move(zone_)),
        columns(column_names.size()) {
    account.source = account.name = name;
    account.columns = {std::string(time_name)};
    if (!key_name.empty()) account.columns.push_back(key_name);
    account.columns.insert(account.columns.end(), column_names.begin(), column_names.end());
    for (const auto& column : account.columns) {
      if (std::ranges::count(account.columns, column) > 1) {
        fail_usage("two columns would be named {}; give one of them another name", shown(column));
      }
    }
  }

  /// A record's number from 0, which stands for its byte; its line is one more.
  std::uint64_t next_record() { return static_cast<std::uint64_t>(account.records++); }

  void note_fault(std::uint64_t record, std::int32_t column, Reason reason, std::string text) {
    account.faults.push_back({record + 1, record, text.size(), column, reason});
    ++account.by_reason[static_cast<std::size_t>(reason)];
    raw[{record, column}] = std::move(text);
  }
};

RecordsBuilder::RecordsBuilder(std::string name, std::vector<std::string> columns,
                               std::string key_name, Zone zone)
    : parts_(std::make_unique<Parts>(std::move(name), std::move(columns), std::move(key_name),
                                     std::move(zone))) {}
RecordsBuilder::RecordsBuilder(RecordsBuilder&&) noexcept = default;
RecordsBuilder& RecordsBuilder::operator=(RecordsBuilder&&) noexcept = default;
RecordsBuilder::~RecordsBuilder() = default;

void RecordsBuilder::add(Instant time, std::string_view key, std::span<const Reading> readings) {
  if (parts_ == nullptr) fail_usage("the builder was moved from, and takes no more records");
  Parts& parts = *parts_;
  if (readings.size() != parts.columns.size()) {
    fail_usage("{}: a record of {} readings, for {} columns", shown(parts.name), readings.size(),
               parts.columns.size());
  }
  if (parts.key_name.empty() && !key.empty()) {
    fail_usage("{}: a record with the key \"{}\", and no key has a name; give the builder one",
               shown(parts.name), shown(key));
  }
  if (!parts.key_name.empty() && key.empty()) {
    std::string text = to_text(time);
    for (const Reading& reading : readings) {
      text += ',';
      if (!std::holds_alternative<std::monostate>(reading)) text += text_of(reading);
    }
    return reject(Reason::missing_key, text);
  }
  const std::uint64_t record = parts.next_record();
  const Places::Run run{0, record + 1};
  parts.places.add_rows(record, record + 1, 1, {&run, 1});
  parts.times.push_back(time);
  if (!parts.key_name.empty()) parts.keys.push_back(parts.key_words.code_of(key));
  const auto first_column = static_cast<std::int32_t>(parts.key_name.empty() ? 1 : 2);
  bool all_read = true;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    if (parts.columns[i].add(readings[i])) continue;
    all_read = false;
    parts.note_fault(record, first_column + static_cast<std::int32_t>(i),
                     Reason::unreadable_reading, text_of(readings[i]));
  }
  ++parts.account.kept;
  if (!all_read) ++parts.account.records_with_unreadable;
}

void RecordsBuilder::add(Instant time, std::string_view key,
                         std::initializer_list<Reading> readings) {
  add(time, key, std::span<const Reading>(readings.begin(), readings.size()));
}

void RecordsBuilder::add(Instant time, std::initializer_list<Reading> readings) {
  add(time, {}, readings);
}

void RecordsBuilder::reject(Reason reason, std::string_view raw) {
  if (parts_ == nullptr) fail_usage("the builder was moved from, and takes no more records");
  if (reason == Reason::unreadable_reading) {
    fail_usage("{}: a record is not rejected for a reading; give add() a missing one",
               shown(parts_->name));
  }
  parts_->note_fault(parts_->next_record(), -1, reason, std::string(raw));
  ++parts_->account.rejected;
}

std::size_t RecordsBuilder::size() const {
  return parts_ == nullptr ? 0 : static_cast<std::size_t>(parts_->account.records);
}

Records RecordsBuilder::take() && {
  if (parts_ == nullptr) fail_usage("the builder was moved from, and has no records");
  Parts parts = std::exchange(
      *parts_, Parts(parts_->name, parts_->column_names, parts_->key_name, parts_->zone));
  Records records;
  records.name = parts.name;
  records.time.name = time_name;
  records.time.zone = parts.zone;
  records.time.fault_column = 0;
  records.key_name = parts.key_name;
  records.values = Table(parts.times.size());
  for (std::size_t i = 0; i < parts.columns.size(); ++i) {
    records.values.add(parts.column_names[i], std::move(parts.columns[i]).column());
  }
  records.times = Column::times(std::move(parts.times));
  if (!parts.key_name.empty()) {
    records.keys = Column::text(std::move(parts.keys), parts.key_words.dictionary());
  }
  records.places = std::make_shared<const Places>(std::move(parts.places));
  SourcePart& part = parts.account.parts.emplace_back();
  part.name = parts.name;
  part.records = parts.account.records;
  part.kept = parts.account.kept;
  part.row_text = [raw = std::move(parts.raw)](std::uint64_t row, std::int32_t column) {
    const auto at = raw.find({row, column});
    return at == raw.end() ? std::string() : at->second;
  };
  records.source = std::make_shared<const SourceAccount>(std::move(parts.account));
  return records;
}

}  // namespace zerobeat
