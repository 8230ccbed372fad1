#include "io/layout.hpp"

#include <algorithm>
#include <set>

#include "base/trim.hpp"
#include "io/preamble.hpp"

namespace zerobeat::detail {

namespace {

using Samples = std::vector<std::vector<std::string>>;

bool ends_with(std::string_view text, std::string_view ending) {
  return text.size() >= ending.size() && text.substr(text.size() - ending.size()) == ending;
}

InputFormat format_of(const SourceText& source, const ReadOptions& options) {
  if (options.from != InputFormat::automatic) return options.from;
  if (ends_with(source.name, ".tsv")) return InputFormat::tsv;
  if (ends_with(source.name, ".jsonl")) {
    fail_input("{}: JSON lines can't be read; turn them into csv", source.name);
  }
  return InputFormat::csv;
}

/// What can't be delimited text at all.
void refuse_other_formats(const SourceText& source) {
  const std::string_view text = source.text;
  const auto starts_with = [&](std::string_view bytes) {
    return text.substr(0, bytes.size()) == bytes;
  };
  if (text.empty()) {
    fail_input("{}: is empty; a source has at least a header line", source.name);
  }
  if (starts_with("\xff\xfe") || starts_with("\xfe\xff")) {
    fail_input("{}: byte 0: is UTF-16; turn it into UTF-8 first: iconv -f UTF-16 -t UTF-8",
               source.name);
  }
  if (starts_with("\x1f\x8b")) {
    fail_input("{}: byte 0: is compressed by gzip; pipe it in: gzip -dc FILE | zerobeat … -",
               source.name);
  }
  constexpr std::size_t looked_at = 4096;
  const std::size_t nul = text.substr(0, std::min(looked_at, text.find('\n'))).find('\0');
  if (nul != std::string_view::npos && !starts_with("\x1f\x8b") &&
      !starts_with("\x28\xb5\x2f\xfd")) {
    fail_input("{}: byte {}: is a NUL, which text does not have; this is no delimited text",
               source.name, nul);
  }
  if (starts_with("\x28\xb5\x2f\xfd")) {
    fail_input("{}: byte 0: is compressed by zstd; pipe it in: zstd -dc FILE | zerobeat … -",
               source.name);
  }
}

/// The delimiter with which most of the first lines have as many cells as the first.
char find_delimiter(std::string_view text, std::size_t begin, const ReadOptions& options,
                    char quote) {
  char best = ',';
  std::pair<std::size_t, std::size_t> best_score{0, 0};
  for (const char candidate : {',', ';', '\t', '|'}) {
    if (candidate == ',' && options.decimal == DecimalMark::comma) continue;
    std::size_t at = begin, header_cells = 0, same = 0;
    for (int lines = 0; lines < 50 && at < text.size(); ++lines) {
      if (options.comment && text[at] == *options.comment) {
        at = after_line(text, at);
        continue;
      }
      const LooseRecord record = read_loose_record(text, at, candidate, quote);
      at = record.end;
      if (record.blank || record.broken) continue;
      if (header_cells == 0) header_cells = record.cells.size();
      same += record.cells.size() == header_cells;
    }
    if (header_cells < 2) continue;
    if (std::pair(same, header_cells) > best_score) {
      best_score = {same, header_cells};
      best = candidate;
    }
  }
  return best;
}

void check_names(const std::vector<std::string>& names, const SourceText& source,
                 std::uint64_t line) {
  std::set<std::string> seen;
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (printable(names[i]) != names[i]) {
      fail_input("{}:{}: the name of column {} is not UTF-8: \"{}\"", source.name, line, i + 1,
                 printable(names[i]));
    }
    if (!seen.insert(names[i]).second) {
      const auto first = std::ranges::find(names, names[i]) - names.begin() + 1;
      fail_input(
          "{}:{}: two columns are named \"{}\" (columns {} and {}); rename one, or pass over the "
          "header: --skip-lines {} --no-header",
          source.name, line, names[i], first, i + 1, line);
    }
  }
}

/// Some hundred records from all over the source, those with the right number of cells.
Samples take_samples(std::string_view text, std::size_t data_begin, const Layout& layout) {
  Samples samples;
  constexpr std::size_t spots = 48;
  const std::size_t size = text.size() - data_begin;
  std::size_t read_until = data_begin;
  for (std::size_t spot = 0; spot < spots; ++spot) {
    std::size_t at = data_begin + size / spots * spot;
    if (spot > 0) at = after_line(text, at);
    at = std::max(at, read_until);
    const std::size_t most = spot == 0 ? 200 : 20;
    const std::size_t stop = std::min(text.size(), at + (std::size_t{1} << 20));
    for (std::size_t n = 0; n < most && at < stop; ++n) {
      if (layout.comment && text[at] == *layout.comment) {
        at = after_line(text, at);
        continue;
      }
      LooseRecord record = read_loose_record(text, at, layout.delimiter, layout.quote);
      at = record.end;
      if (record.blank || record.broken || record.cells.size() != layout.cells) continue;
      samples.push_back(std::move(record.cells));
    }
    read_until = at;
  }
  return samples;
}

std::vector<std::string> column_samples(const Samples& samples, std::size_t cell,
                                        std::optional<std::size_t> clock,
                                        const MissingWords& missing_words) {
  std::vector<std::string> texts;
  for (const auto& record : samples) {
    if (missing_words.holds(record[cell])) continue;
    texts.push_back(clock ? record[cell] + " " + record[*clock] : record[cell]);
  }
  return texts;
}

std::size_t count_reading(const TimeFormat& format, const std::vector<std::string>& samples) {
  TimestampReader reader({.format = format, .zone = {}, .repeated = Repeated::earlier});
  return static_cast<std::size_t>(std::ranges::count_if(samples, [&](const std::string& sample) {
    return reader.read(sample).verdict == TimeVerdict::ok;
  }));
}

/// Numbers that could be anything are times only when most are large enough to be epochs.
bool plausible_epochs(const TimeFormat& format, const std::vector<std::string>& samples) {
  TimestampReader reader({.format = format});
  for (const auto& sample : samples) reader.read(sample);
  std::int64_t large = 0;
  for (const auto& magnitude : reader.counts().magnitudes) large += magnitude.count;
  return static_cast<std::size_t>(large) * 2 >= samples.size();
}

bool only_years(const std::vector<std::string>& samples) {
  return std::ranges::all_of(samples, [](const std::string& s) { return trim(s).size() == 4; });
}

/// The first column that reads as times: dates or large epochs, else years.
std::size_t find_time_column(const Samples& samples, const std::vector<std::string>& names,
                             const ReadOptions& options, const MissingWords& missing_words,
                             const SourceText& source) {
  if (samples.empty()) return 0;
  for (const bool years : {false, true}) {
    for (std::size_t cell = 0; cell < names.size(); ++cell) {
      if (names[cell] == options.key) continue;
      const auto texts = column_samples(samples, cell, std::nullopt, missing_words);
      if (texts.empty()) continue;
      TimeFormat format = options.time_format;
      if (format.kind == TimeFormat::Kind::automatic) {
        const auto found = find_time_format(texts);
        if (!found) continue;
        format = *found;
        if (is_epoch(format.kind) && !plausible_epochs(format, texts)) continue;
        if (only_years(texts) != years) continue;
      }
      if (count_reading(format, texts) * 2 >= texts.size()) return cell;
    }
  }
  const bool comment = !names.empty() && names[0].starts_with('#');
  fail_input(
      "{}: no column reads as times; there is {}. {}Name one with --time, and its format with "
      "--time-format; records without times get them from zerobeat stamp; lines before the header "
      "are passed over with --skip-lines",
      source.name, fmt::join(names, ", "),
      comment ? "Lines that begin with # are passed over with --comment '#'. " : "");
}

void find_time(FoundLayout& found, const ReadOptions& options, const MissingWords& missing_words,
               const Samples& samples, const SourceText& source) {
  const auto place = [&](const std::string& name) {
    const auto at = std::ranges::find(found.names, name);
    if (at == found.names.end()) {
      fail_usage("--time {}: {} has no column \"{}\"{}", options.time, source.name, name,
                 did_you_mean(name, found.names));
    }
    return static_cast<std::size_t>(at - found.names.begin());
  };
  Layout& layout = found.layout;
  const std::size_t plus = options.time.find('+');
  if (options.time.empty()) {
    layout.time_cell = find_time_column(samples, found.names, options, missing_words, source);
    found.time_name = found.names[layout.time_cell];
  } else if (plus != std::string::npos &&
             std::ranges::find(found.names, options.time) == found.names.end()) {
    layout.time_cell = place(options.time.substr(0, plus));
    layout.clock_cell = place(options.time.substr(plus + 1));
    found.time_name = options.time;
  } else {
    layout.time_cell = place(options.time);
    found.time_name = options.time;
  }

  found.time_samples = column_samples(samples, layout.time_cell, layout.clock_cell, missing_words);
  layout.times.format = options.time_format;
  if (options.time_format.kind == TimeFormat::Kind::automatic) {
    found.format_found = true;
    layout.times.format =
        find_time_format(found.time_samples).value_or(format_of(TimeFormat::Kind::iso));
  }
  TimeFormat& format = layout.times.format;
  if (format.kind == TimeFormat::Kind::dated && options.date_order) {
    TimeFormat told = format;
    told.order = *options.date_order;
    if (count_reading(told, found.time_samples) * 2 >= found.time_samples.size()) format = told;
  }
}

/// Numeric when nine in ten of what is not missing read as numbers.
bool reads_as_numbers(const Samples& samples, std::size_t cell, const Layout& layout,
                      const MissingWords& missing_words) {
  std::size_t filled = 0, numbers = 0;
  for (const auto& record : samples) {
    if (missing_words.holds(record[cell])) continue;
    ++filled;
    numbers +=
        read_number(record[cell], layout.decimal_mark).kind != NumberReading::Kind::unreadable;
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

}  // namespace

FoundLayout find_layout(const SourceText& source, const ReadOptions& options,
                        const MissingWords& missing_words) {
  refuse_other_formats(source);
  const InputFormat format = format_of(source, options);
  if (options.skip_lines < 0) {
    fail_usage("--skip-lines {}: a number of lines is not negative", options.skip_lines);
  }
  const bool elapsed = options.time_format.kind == TimeFormat::Kind::elapsed;
  if (elapsed && !options.zone.is_utc()) {
    fail_usage("--zone {}: times read as {} have no zone", options.zone.name(),
               to_text(options.time_format));
  }
  FoundLayout found;
  Layout& layout = found.layout;
  const std::string_view text = source.text;
  std::size_t at = text.substr(0, 3) == "\xef\xbb\xbf" ? 3 : 0;

  layout.quote = format == InputFormat::tsv ? '\0' : '"';
  layout.comment = options.comment;
  layout.decimal_mark = options.decimal == DecimalMark::comma ? ',' : '.';
  for (std::int64_t i = 0; i < options.skip_lines; ++i, ++found.data_line) {
    if (options.untimed) add_preamble_line(text, at, found);
    at = after_line(text, at);
  }
  if (options.untimed && options.skip_lines == 0) pass_preamble(text, options, at, found);
  // Blank lines and comments before the header are passed over.
  LooseRecord header;
  for (;; ++found.data_line) {
    if (at >= text.size()) {
      fail_input("{}: has no header; it is empty but for blank lines and comments", source.name);
    }
    const bool comment = options.comment && text[at] == *options.comment;
    if (!comment) {
      const std::string_view line = text.substr(at, after_line(text, at) - at);
      if (line.find_first_not_of(" \r\n") != std::string_view::npos) break;
    }
    at = after_line(text, at);
  }
  if (format == InputFormat::tsv) {
    layout.delimiter = options.delimiter.value_or('\t');
  } else {
    layout.delimiter =
        options.delimiter ? *options.delimiter : find_delimiter(text, at, options, layout.quote);
  }
  if (layout.delimiter == '\n' || layout.delimiter == '"' || layout.delimiter == '\r') {
    fail_usage("--delimiter can't be a quote or a line's end");
  }
  if (layout.delimiter == layout.decimal_mark) {
    fail_usage("the delimiter and the decimal mark are both \"{}\"; give --delimiter",
               layout.delimiter);
  }
  header = read_loose_record(text, at, layout.delimiter, layout.quote);
  if (header.broken) {
    fail_input("{}:{}: byte {}: a quote in the header does not close", source.name, found.data_line,
               at);
  }
  layout.cells = header.cells.size();
  for (std::size_t i = 0; i < header.cells.size(); ++i) {
    const std::string name = options.no_header ? "" : std::string(trim(header.cells[i]));
    found.names.push_back(name.empty() ? fmt::format("c{}", i + 1) : name);
  }
  check_names(found.names, source, found.data_line);
  if (!options.no_header) {
    const std::string_view raw = text.substr(at, header.end - at);
    found.data_line += static_cast<std::uint64_t>(std::ranges::count(raw, '\n'));
    at = header.end;
  }
  found.data_begin = at;

  const Samples samples = take_samples(text, at, layout);
  const auto place = [&](const std::string& name, std::string_view option) {
    const auto column = std::ranges::find(found.names, name);
    if (column == found.names.end()) {
      fail_usage("--{}: {} has no column \"{}\"{}", option, source.name, name,
                 did_you_mean(name, found.names));
    }
    return static_cast<std::size_t>(column - found.names.begin());
  };
  if (!options.key.empty()) layout.key_cell = place(options.key, "key");
  layout.untimed = options.untimed;
  if (options.untimed) {
    layout.time_cell = layout.cells;  // none
    found.time_name = "time";
  } else {
    find_time(found, options, missing_words, samples, source);
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
  layout.times.not_before = limit(options.not_before, "--not-before");
  layout.times.not_after = limit(options.not_after, "--not-after");

  found.fault_columns = found.names;
  layout.time_fault_column = options.untimed ? -1 : static_cast<std::int32_t>(layout.time_cell);
  if (layout.clock_cell) {
    layout.time_fault_column = static_cast<std::int32_t>(found.fault_columns.size());
    found.fault_columns.push_back(found.time_name);
  }
  if (layout.key_cell) layout.key_fault_column = static_cast<std::int32_t>(*layout.key_cell);

  std::vector<bool> wanted(found.names.size(), options.columns.empty());
  for (const auto& name : options.columns) wanted[place(name, "columns")] = true;
  const std::optional<std::vector<std::string>> decode =
      are_there(options.decode, found.names) ? options.decode : std::nullopt;
  for (std::size_t cell = 0; cell < found.names.size(); ++cell) {
    const bool other_role =
        cell == layout.time_cell || cell == layout.clock_cell || cell == layout.key_cell;
    if (other_role || !wanted[cell]) continue;
    ValueColumn value;
    value.cell = cell;
    value.numeric = reads_as_numbers(samples, cell, layout, missing_words);
    value.keep = !options.judge_only &&
                 (!decode || std::ranges::find(*decode, found.names[cell]) != decode->end());
    value.fault_column = static_cast<std::int32_t>(cell);
    layout.values.push_back(value);
  }
  return found;
}

}  // namespace zerobeat::detail
