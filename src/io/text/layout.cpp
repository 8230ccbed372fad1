#include "io/text/layout.hpp"

#include <algorithm>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/timeline.hpp>

#include "io/text/cell_table.hpp"
#include "io/text/found_parts.hpp"
#include "io/text/named_columns.hpp"
#include "io/text/time_column.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Numeric when nine in ten of what is not missing read as numbers.
bool reads_as_numbers(const Samples& samples, std::size_t cell, const Layout& layout,
                      const MissingWords& missing_words) {
  std::size_t filled = 0, numbers = 0;
  for (const auto& record : samples) {
    if (missing_words.holds(record[cell])) continue;
    ++filled;
    numbers += read_number(record[cell], layout.numbers).kind != NumberReading::Kind::unreadable;
  }
  return numbers * 10 >= filled * 9;
}

/// Whether every column to be kept in memory is there. If one is not, all are kept, so that whoever
/// asked for it can be told what there is.
bool are_there(const std::optional<std::vector<std::string>>& decode,
               const std::vector<std::string>& names) {
  return decode && std::ranges::all_of(*decode, [&](const auto& name) {
           return std::ranges::find(names, name) != names.end();
         });
}

void check_read_options(const ReadOptions& options) {
  if (options.skip_lines < 0) {
    fail_usage("‹skip_lines› {}: a number of lines is not negative", options.skip_lines);
  }
  const bool elapsed = options.time_format.kind == TimeFormat::Kind::elapsed;
  if (elapsed && !options.zone.is_utc()) {
    fail_usage("‹zone› {}: times read as {} have no zone", options.zone.name(),
               to_text(options.time_format));
  }
  const std::string& mark = options.thousands;
  if (mark.empty()) return;
  const std::size_t length = utf8_length(mark);
  if (length != mark.size() || (length == 1 && mark[0] >= '0' && mark[0] <= '9')) {
    fail_usage("‹thousands› \"{}\": a grouping mark is one character", mark);
  }
  if (mark[0] == (options.decimal == DecimalMark::comma ? ',' : '.')) {
    fail_usage("‹thousands› {}: is the decimal mark, too; see ‹decimal›", mark);
  }
}

/// The type of a column, where all parts say the same of it.
void set_known_type(const OpenSource& source, const FoundLayout& found, ValueColumn& value) {
  using Known = ValueColumn::Known;
  std::optional<Known> known;
  bool numeric = false;
  for (std::size_t i = 0; i < source.parts.size(); ++i) {
    const std::size_t cell = found.parts[i].cells[value.cell];
    if (cell == absent_cell) continue;
    if (!source.parts[i].rows) return;
    const RowType type = source.parts[i].rows->columns[cell].type;
    if (type == RowType::text || type == RowType::mixed) return;
    const bool own_numeric = type == RowType::integer || type == RowType::number;
    const Known own = type == RowType::instant ? Known::time : Known::type;
    if (known && (*known != own || numeric != own_numeric)) return;
    known = own;
    numeric = own_numeric;
  }
  if (!known) return;
  value.known = *known;
  value.numeric = numeric;
}

}  // namespace

Layout FoundLayout::of_part(std::size_t part) const {
  Layout part_layout = layout;
  const FoundPart& found = parts[part];
  part_layout.named = found.shape.form.named;
  part_layout.delimiter = found.shape.delimiter;
  part_layout.runs = found.shape.runs;
  part_layout.quote = found.shape.quote;
  part_layout.cells = found.shape.names.size();
  part_layout.cell_names = found.shape.names;
  for (std::size_t& cell : part_layout.time_cells) cell = found.cells[cell];
  for (std::size_t& cell : part_layout.key_cells) cell = found.cells[cell];
  for (ValueColumn& value : part_layout.values) value.cell = found.cells[value.cell];
  return part_layout;
}

FoundLayout find_layout(const OpenSource& source, const ReadTask& options,
                        const MissingWords& missing_words, const FurtherNames& further) {
  check_read_options(options);
  const bool elapsed = options.time_format.kind == TimeFormat::Kind::elapsed;
  FoundLayout found;
  Layout& layout = found.layout;
  layout.comment = options.comment;
  layout.numbers = {options.decimal == DecimalMark::comma ? ',' : '.', options.thousands,
                    options.strip};
  find_parts(source, options, further, found);
  note_parts(source, found);
  const Samples samples = take_samples(source, found);

  if (!options.key.empty()) {
    layout.key_cells = places_named(options.key, "key", source.name, found.names);
    for (const std::size_t cell : layout.key_cells) {
      if (!found.key_name.empty()) found.key_name += key_mark;
      found.key_name += found.names[cell];
    }
  }
  layout.untimed = options.untimed;
  if (options.untimed) {
    found.time_name = "time";
  } else {
    find_time(source, found, options, missing_words, samples);
  }
  layout.times.zone = options.zone;
  layout.judge = options.judge_only;
  layout.times.repeated = options.repeated;
  layout.times.skipped = options.skipped;
  const auto limit = [&](const std::optional<Moment>& moment,
                         const char* option) -> std::optional<Instant> {
    if (!moment) return std::nullopt;
    if (!elapsed) return moment->in(options.zone);
    const auto number = read_elapsed(moment->text, options.time_format.unit);
    if (!number) fail_usage("{} \"{}\" is no number, as the times are", option, moment->text);
    return number;
  };
  layout.times.not_before = limit(options.not_before, "‹not_before›");
  layout.times.not_after = limit(options.not_after, "‹not_after›");

  found.fault_columns = found.names;
  const auto fault_column = [&](const std::vector<std::size_t>& cells, const std::string& name) {
    if (cells.empty()) return -1;
    if (cells.size() == 1) return static_cast<int>(cells[0]);
    found.fault_columns.push_back(name);
    return static_cast<int>(found.fault_columns.size()) - 1;
  };
  layout.time_fault_column = fault_column(layout.time_cells, found.time_name);
  layout.key_fault_column = fault_column(layout.key_cells, options.key);

  std::vector<bool> wanted(found.names.size(), options.columns.empty());
  for (const auto& name : options.columns) {
    wanted[place_of(name, "columns", source.name, found.names)] = true;
  }
  using Told = ValueColumn::Told;
  std::vector<Told> told(found.names.size(), Told::nothing);
  for (const auto& name : options.text) {
    told[place_of(name, "text", source.name, found.names)] = Told::text;
  }
  for (const auto& name : options.number) {
    Told& verdict = told[place_of(name, "number", source.name, found.names)];
    if (verdict == Told::text) {
      fail_usage("‹text› and ‹number› both name \"{}\"; it is one or the other", shown(name));
    }
    verdict = Told::number;
  }
  const std::optional<std::vector<std::string>> decode =
      are_there(options.decode, found.names) ? options.decode : std::nullopt;
  for (std::size_t cell = 0; cell < found.names.size(); ++cell) {
    const bool other_role = std::ranges::count(layout.time_cells, cell) > 0 ||
                            std::ranges::count(layout.key_cells, cell) > 0;
    if (other_role || !wanted[cell]) continue;
    ValueColumn value;
    value.cell = cell;
    value.numeric = reads_as_numbers(samples, cell, layout, missing_words);
    value.keep = !options.judge_only &&
                 (!decode || std::ranges::find(*decode, found.names[cell]) != decode->end());
    value.fault_column = static_cast<std::int32_t>(cell);
    value.told = told[cell];
    if (value.told == Told::nothing) {
      set_known_type(source, found, value);
    } else {
      value.numeric = value.told == Told::number;
    }
    layout.values.push_back(value);
  }
  return found;
}

}  // namespace zerobeat::detail
