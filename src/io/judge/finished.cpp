#include "io/judge/finished.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <utility>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/io/write.hpp>

#include "base/names.hpp"
#include "io/judge/column_format.hpp"
#include "io/judge/notation.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Which record of a repeated hour is the later one is told by the one step back among them:
/// where the clocks went back, and only there, a strand's local times do. With no step back, or
/// with several, the order does not decide. Returns, for each undecided record, whether it is
/// the later one, or nullopt.
std::vector<std::optional<bool>> decide_by_order(const Assembly& assembly, const Zone& zone) {
  std::vector<std::optional<bool>> later(assembly.undecided.size());
  std::map<std::pair<std::int32_t, std::int64_t>, std::vector<std::size_t>> groups;
  const auto time_of = [&](std::size_t i) { return assembly.times[assembly.undecided[i].row]; };
  for (std::size_t i = 0; i < assembly.undecided.size(); ++i) {
    const std::int32_t key = assembly.keys.empty() ? 0 : assembly.keys[assembly.undecided[i].row];
    const auto local = zone.local_of(instant_of(time_of(i)));
    const auto stretch = zone.stretch(std::chrono::floor<std::chrono::seconds>(local));
    groups[{key, stretch.from.time_since_epoch().count()}].push_back(i);
  }
  for (const auto& [id, members] : groups) {
    std::size_t steps_back = 0, first_later = 0;
    for (std::size_t n = 1; n < members.size(); ++n) {
      if (time_of(members[n]) < time_of(members[n - 1])) {
        ++steps_back;
        first_later = n;
      }
    }
    if (steps_back != 1) continue;
    for (std::size_t n = 0; n < members.size(); ++n) later[members[n]] = n >= first_later;
  }
  return later;
}

/// Takes rejected rows out of finished records.
void drop_rows(Records& records, const std::map<std::int64_t, Reason>& rejected) {
  std::vector<std::int64_t> kept;
  kept.reserve(records.size());
  for (std::size_t row = 0; row < records.size(); ++row) {
    if (!rejected.contains(static_cast<std::int64_t>(row))) {
      kept.push_back(static_cast<std::int64_t>(row));
    }
  }
  records.times = records.times.gather(kept);
  if (records.keys) records.keys = records.keys->gather(kept);
  records.values = records.values.gather(kept);
  records.places = std::make_shared<const Places>(records.places->kept(kept));
}

Axis axis_of(const TimestampOptions& times) {
  if (times.format.kind != TimeFormat::Kind::elapsed) return {};
  return {times.format.unit};
}

/// The raw text of rows and their cells, read again.
class RowTexts {
 public:
  RowTexts(std::shared_ptr<RowSource> rows, std::vector<std::string> names)
      : rows_(std::move(rows)), names_(std::move(names)) {}

  std::string text(std::uint64_t row, const std::string& column) {
    if (row < first_) begin();
    while (row >= first_ + batch_.rows) {
      first_ += batch_.rows;
      rows_->next(batch_);
      if (batch_.rows == 0) return {};
    }
    const auto own = static_cast<std::size_t>(row - first_);
    std::string all;
    for (std::size_t i = 0; i < names_.size(); ++i) {
      const std::string cell = cell_text(rows_->columns[i], batch_.columns[i], own);
      if (names_[i] == column) return cell;
      all += (i > 0 ? "," : "") + csv_cell(cell);
    }
    return all;
  }

 private:
  void begin() {
    rows_->rewind();
    first_ = 0;
    batch_.rows = 0;
  }

  std::shared_ptr<RowSource> rows_;
  std::vector<std::string> names_;
  RowBatch batch_;
  std::uint64_t first_ = static_cast<std::uint64_t>(-1);
};

/// Says where the raw text of records and rows is found.
void tell_raw_texts(SourceAccount& account, const OpenSource& source, const FoundLayout& found) {
  for (std::size_t i = 0; i < account.parts.size(); ++i) {
    SourcePart& source_part = account.parts[i];
    const Shape& shape = found.parts[i].shape;
    if (source.parts[i].rows) {
      auto texts = std::make_shared<RowTexts>(source.parts[i].rows, shape.names);
      source_part.row_text = [texts, columns = account.columns](std::uint64_t row,
                                                                std::int32_t column) {
        return texts->text(row, column < 0 ? "" : columns[static_cast<std::size_t>(column)]);
      };
      continue;
    }
    source_part.record_length = [text = source_part.text, named = shape.form.named,
                                 delimiter = shape.delimiter, quote = shape.quote,
                                 runs = shape.runs](std::uint64_t byte) -> std::uint64_t {
      if (!named) return raw_record_length(text, byte, delimiter, quote, runs);
      const std::string_view rest = text.substr(byte);
      return without_return(rest.substr(0, rest.find('\n'))).size();
    };
  }
}

/// Columns of texts that are nearly all numbers, or would be with other options.
std::vector<Finding> numeric_findings(const Assembly& assembly, const FoundLayout& found) {
  std::vector<Finding> findings;
  for (std::size_t i = 0; i < found.layout.values.size(); ++i) {
    const ValueColumn& value = found.layout.values[i];
    const CellTally& column = assembly.tally(i);
    const std::int64_t others = column.filled_cells - column.numeric_cells;
    const std::string& name = found.names[value.cell];
    if (value.told == ValueColumn::Told::text_for_digits) {
      findings.push_back(value.digits);
      findings.back().message = fmt::format(
          "whole numbers of {} that {}; it is read as text; to read it as numbers: ‹number› {}",
          name,
          value.digits.kind == "wide-integers" ? "64 bits do not hold, which a number would round"
                                               : "begin with a 0, which a number would lose",
          detail::quoted_where_needed(name, ",()"));
      continue;
    }
    if (value.numeric || value.known != ValueColumn::Known::nothing || column.others.empty() ||
        value.told != ValueColumn::Told::nothing) {
      continue;
    }
    const std::string example = shown(column.others[0]);
    const auto options =
        notation_of(column.others, found.layout.numbers, found.parts[0].shape.delimiter == ';');
    const bool nearly = column.numeric_cells * 2 >= column.filled_cells;
    if (!options && !nearly) continue;
    std::string message;
    if (options) {
      message = fmt::format(
          "cells of {} that are numbers in another notation, like \"{}\"; it is "
          "read as text; to read it as numbers: {}",
          name, example, *options);
    } else {
      message = fmt::format(
          "of {} cells of {} that are no numbers, like \"{}\"; it is read as "
          "text; what stands for missing is named with ‹missing›",
          grouped(column.filled_cells), name, example);
    }
    const auto row = static_cast<std::size_t>(std::max<std::int64_t>(0, column.first_other));
    const bool known = row < assembly.places.size();
    const auto& parts = assembly.account.parts;
    findings.push_back(
        {"nearly-numeric", others, known ? assembly.places.line(row) : 0, std::move(message),
         known && parts.size() > 1 ? assembly.account.part_of(assembly.places.byte(row)).name
                                   : ""});
  }
  return findings;
}

/// A line of units under the header, which has no time and no number: it is rejected, and told.
std::vector<Finding> units_findings(const SourceAccount& account, const FoundLayout& found) {
  std::vector<Finding> findings;
  for (const Fault& fault : account.faults) {
    const std::size_t part = fault.byte / part_bytes;
    const Shape& shape = found.parts[part].shape;
    const bool under_header = fault.line == shape.data_line && shape.header_line < shape.data_line;
    if (!under_header || fault.reason != Reason::unreadable_time) continue;
    const std::string text = account.text_of(fault);
    const auto digits = std::ranges::count_if(text, [](char c) { return c >= '0' && c <= '9'; });
    if (digits * 4 > static_cast<std::ptrdiff_t>(text.size())) continue;
    findings.push_back(
        {"preamble", 1, fault.line,
         fmt::format(
             "line under the header that holds no record but units, it seems: \"{}\"; it is "
             "rejected; ‹tolerate› 1 goes on all the same",
             shown(text)),
         account.parts.size() > 1 ? account.parts[part].name : ""});
  }
  return findings;
}

/// Words for missing, by column. Those that the user named are told in a note, too.
void tell_missing_words(const Assembly& assembly, const FoundLayout& found, bool were_named,
                        SourceAccount& account) {
  for (std::size_t i = 0; i < found.layout.values.size(); ++i) {
    const CellTally& column = assembly.tally(i);
    if (!found.layout.values[i].numeric || column.word_cells == 0) continue;
    const auto row = static_cast<std::size_t>(column.first_word);
    const std::uint64_t line = row < assembly.places.size() ? assembly.places.line(row) : 0;
    const std::string& name = found.names[found.layout.values[i].cell];
    account.missing_words.push_back({name, column.word_cells, line, column.word});
    if (!were_named) continue;
    account.notes.push_back(fmt::format("{} cells of {} are words for missing, like \"{}\"{}",
                                        grouped(column.word_cells), shown(name), shown(column.word),
                                        line == 0 ? "" : fmt::format(" in line {}", line)));
  }
}

/// A last line that has no end may have lost some of itself.
std::vector<Finding> unfinished_lines(const OpenSource& source) {
  std::vector<Finding> findings;
  for (const Part& part : source.parts) {
    if (part.rows || part.format == InputFormat::postgresql) continue;
    const std::string_view text = part.text.all();
    if (text.empty() || text.back() == '\n') continue;
    const auto lines = static_cast<std::uint64_t>(std::ranges::count(text, '\n')) + 1;
    findings.push_back({"unfinished-line", 1, lines,
                        "a last line without an end, which may lack some of its digits: is the "
                        "file all there?",
                        source.parts.size() > 1 ? part.name : ""});
  }
  return findings;
}

}  // namespace

Records named_records(const OpenSource& source, const FoundLayout& found, const ReadTask& options) {
  Records records;
  records.name = source_stem(source.name);
  const auto& also = found.layout.times.also;
  records.time = {
      found.time_name, to_text(found.layout.times.format), also ? to_text(*also) : std::string(),
      options.zone,    axis_of(found.layout.times),        found.layout.time_fault_column};
  records.time.date_order = options.date_order;
  records.time.repeated = options.repeated;
  if (!found.layout.key_cells.empty() || found.key_is_of_path) records.key_name = found.key_name;
  return records;
}

Records finished(Assembly& assembly, const OpenSource& source, const FoundLayout& found,
                 const ReadTask& options) {
  const auto numeric = numeric_findings(assembly, found);
  SourceAccount account = std::move(assembly.account);
  for (const Part& part : source.parts) {
    if (!part.rows || !part.rows->notes) continue;
    for (std::string& note : part.rows->notes()) account.notes.push_back(std::move(note));
  }
  for (const Part& part : source.parts) {
    if (!part.encoding.empty()) {
      account.notes.push_back(fmt::format("{} is read as {}", shown(part.name), part.encoding));
    }
  }
  if (assembly.passed_over > 0) {
    account.notes.push_back(fmt::format(
        "{} records are of other times than the plan looks at, by what the file says of itself; "
        "they were counted and not read",
        grouped(assembly.passed_over)));
  }
  // Nobody should take such a column for text without being told.
  for (const Finding& finding : numeric) {
    account.notes.push_back(fmt::format("{} {}", grouped(finding.count), finding.message));
  }
  tell_missing_words(assembly, found, !options.missing.empty(), account);
  std::map<std::int64_t, Reason> rejected;
  const auto later = decide_by_order(assembly, options.zone);
  for (std::size_t i = 0; i < later.size(); ++i) {
    const auto [row, later_by] = assembly.undecided[i];
    if (!later[i]) {
      rejected[static_cast<std::int64_t>(row)] = Reason::repeated_time;
      continue;
    }
    std::int64_t& time = assembly.times[row];
    if (*later[i]) time += later_by.count();
    const auto& times = found.layout.times;
    const bool early = times.not_before && instant_of(time) < *times.not_before;
    const bool late = times.not_after && instant_of(time) > *times.not_after;
    if (early || late) rejected[static_cast<std::int64_t>(row)] = Reason::out_of_range_time;
  }

  Records records = named_records(source, found, options);
  const std::size_t rows = assembly.times.size();
  records.times = Column::times(std::move(assembly.times).retyped<Instant>());
  if (!records.key_name.empty()) {
    records.keys =
        Column::text(std::move(assembly.keys),
                     std::make_shared<const Column::Dictionary>(assembly.key_texts.take_texts()));
  }
  records.values = Table(rows);
  for (std::size_t i = 0; i < found.layout.values.size(); ++i) {
    if (options.judge_only) {
      records.seen.push_back(assembly.take_seen(i, found.names[found.layout.values[i].cell], rows));
    }
    if (!found.layout.values[i].keep) continue;
    records.values.add(found.names[found.layout.values[i].cell], assembly.take_column(i));
  }
  records.places = std::make_shared<const Places>(std::move(assembly.places));
  account.rejected = account.records - account.kept;
  tell_raw_texts(account, source, found);
  if (!rejected.empty()) {
    reject_in_account(account, *records.places, rejected, found.layout.time_fault_column);
    drop_rows(records, rejected);
  }

  if (options.untimed) {
    records.untimed = true;
    records.preamble = found.parts[0].shape.preamble;
  } else {
    records.findings = time_findings(assembly, found);
  }
  records.findings.insert(records.findings.end(), numeric.begin(), numeric.end());
  const auto unfinished = unfinished_lines(source);
  records.findings.insert(records.findings.end(), unfinished.begin(), unfinished.end());
  const auto units = units_findings(account, found);
  records.findings.insert(records.findings.end(), units.begin(), units.end());
  records.findings.insert(records.findings.end(), found.findings.begin(), found.findings.end());
  records.source = std::make_shared<const SourceAccount>(std::move(account));
  return records;
}

}  // namespace zerobeat::detail
