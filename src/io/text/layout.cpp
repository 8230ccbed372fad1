#include "io/text/layout.hpp"

#include <algorithm>
#include <unordered_map>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/timeline.hpp>

#include "base/trim.hpp"
#include "io/judge/asked_columns.hpp"
#include "io/judge/time_cells.hpp"
#include "io/source/listed.hpp"
#include "io/text/split_json.hpp"

namespace zerobeat::detail {

namespace {

/// Records from all over a source, by its columns.
using Samples = std::vector<std::vector<std::string>>;

/// How much of a stream is looked at before its records are read.
constexpr std::size_t head_bytes = std::size_t{1} << 20;

/// Takes samples of one part, as many as its share of the source asks for.
class Sampler {
 public:
  Sampler(const FoundPart& part, const Layout& layout, std::size_t parts, Samples& samples)
      : part_(part), layout_(layout), samples_(samples) {
    spots_ = std::max<std::size_t>(1, 48 / parts);
    first_ = std::max<std::size_t>(4, 200 / parts);
  }

  void take(std::string_view text) {
    const std::size_t begin = part_.shape.data_begin;
    if (begin > text.size()) return;
    const std::size_t size = text.size() - begin;
    std::size_t read_until = begin;
    for (std::size_t spot = 0; spot < spots_; ++spot) {
      std::size_t at = begin + size / spots_ * spot;
      if (spot > 0) at = after_line(text, at);
      at = std::max(at, read_until);
      const std::size_t most = spot == 0 ? first_ : 20;
      const std::size_t stop = std::min(text.size(), at + (std::size_t{1} << 20));
      for (std::size_t n = 0; n < most && at < stop; ++n) at = take_one(text, at);
      read_until = at;
    }
  }

 private:
  std::size_t take_one(std::string_view text, std::size_t at) {
    if (layout_.comment && text[at] == *layout_.comment) return after_line(text, at);
    const Shape& shape = part_.shape;
    LooseRecord record;
    if (shape.form.named) {
      const std::size_t end = after_line(text, at);
      if (read_loose_json(text.substr(at, end - at), shape.names, record.cells)) {
        add(std::move(record.cells));
      }
      return end;
    }
    record = read_loose_record(text, at, shape.delimiter, shape.quote, shape.runs);
    if (!record.blank && !record.broken && record.cells.size() == shape.names.size()) {
      add(std::move(record.cells));
    }
    return record.end;
  }

  void add(std::vector<std::string> cells) {
    std::vector<std::string> sample(part_.cells.size());
    for (std::size_t i = 0; i < sample.size(); ++i) {
      if (part_.cells[i] != absent_cell) sample[i] = std::move(cells[part_.cells[i]]);
    }
    samples_.push_back(std::move(sample));
  }

  const FoundPart& part_;
  const Layout& layout_;
  Samples& samples_;
  std::size_t spots_ = 1, first_ = 1;
};

/// The names in JSON lines, from all over a text.
void find_json_names(std::string_view text, Shape& shape) {
  constexpr std::size_t spots = 48, each = 100;
  const std::size_t size = text.size() - shape.data_begin;
  for (std::size_t spot = 0; spot < spots; ++spot) {
    std::size_t at = shape.data_begin + size / spots * spot;
    if (spot > 0) at = after_line(text, at);
    for (std::size_t n = 0; n < each && at < text.size(); ++n) {
      const std::size_t end = after_line(text, at);
      add_json_names(text.substr(at, end - at), shape.names);
      at = end;
    }
  }
}

std::vector<std::string> column_samples(const Samples& samples, const Layout& layout,
                                        const MissingWords& missing_words) {
  std::vector<std::string> texts;
  std::string joined;
  for (const auto& record : samples) {
    const std::string_view text = joined_time(
        layout, missing_words, [&](std::size_t c) { return std::string_view(record[c]); }, joined);
    if (!text.empty()) texts.emplace_back(text);
  }
  return texts;
}

std::vector<std::string> column_samples(const Samples& samples, std::size_t cell,
                                        const MissingWords& missing_words) {
  std::vector<std::string> texts;
  for (const auto& record : samples) {
    if (!missing_words.holds(record[cell])) texts.push_back(record[cell]);
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

/// Clocks alone: 10:30, 10:30:00.5.
bool is_clock(const std::string& sample) {
  const std::string_view text = trim(sample);
  const std::size_t colon = text.find(':');
  return (colon == 1 || colon == 2) && text.size() >= colon + 3 &&
         text.find_first_not_of("0123456789:.,") == std::string_view::npos;
}

/// Of a source without a column of times: a column of clocks, and what to do about it.
std::string clock_hint(const Samples& samples, const std::vector<std::string>& names,
                       const MissingWords& missing_words) {
  for (std::size_t cell = 0; cell < names.size(); ++cell) {
    const auto texts = column_samples(samples, cell, missing_words);
    if (texts.empty() || !std::ranges::all_of(texts, is_clock)) continue;
    return fmt::format(
        "\"{}\" holds clocks without a date, like {}: name the column of the days with it (--time "
        "DAY+{}), or put the date before each, or number the records with zerobeat stamp. ",
        names[cell], texts[0], names[cell]);
  }
  return "";
}

/// What to do when the header's cells are dates: a column a day.
std::string dated_header_hint(const std::vector<std::string>& names) {
  std::vector<std::string> dates;
  for (const auto& name : names) {
    const auto format = find_time_format(std::vector<std::string>{name});
    if (format && format->kind != TimeFormat::Kind::elapsed && !is_epoch(format->kind) &&
        count_reading(*format, {name}) == 1) {
      dates.push_back(name);
    }
  }
  if (dates.size() < 2 || dates.size() * 2 < names.size()) return "";
  return fmt::format(
      "{} of the header's {} cells are dates, from {} to {}: a column for each; zerobeat reshape "
      "--into long makes a row of each. ",
      dates.size(), names.size(), dates.front(), dates.back());
}

/// What to do when the first column counts 1, 2, 3 …
std::string counting_hint(const Samples& samples, const std::vector<std::string>& names,
                          const MissingWords& missing_words) {
  const auto texts = column_samples(samples, 0, missing_words);
  std::int64_t last = 0;
  std::size_t steps = 0;
  for (std::size_t i = 0; i < std::min<std::size_t>(texts.size(), 50); ++i) {
    const NumberReading reading = read_number(texts[i], '.');
    if (reading.kind != NumberReading::Kind::integer || reading.integer < 0) return "";
    if (i > 0 && reading.integer != last + 1) return "";
    steps += i > 0;
    last = reading.integer;
  }
  if (steps < 2) return "";
  return fmt::format(
      "\"{}\" counts {}, {}, {} …: steps, not times, are read with --time {} --time-format "
      "elapsed-count. ",
      shown(names[0]), texts[0], texts[1], texts[2], shown(names[0]));
}

/// The first column that reads as times: what has a type of times, dates or large epochs, else
/// years.
std::size_t find_time_column(const OpenSource& source, const FoundLayout& found,
                             const Samples& samples, const ReadOptions& options,
                             const MissingWords& missing_words) {
  const auto& names = found.names;
  for (const Part& part : source.parts) {
    if (!part.rows) continue;
    for (const RowColumn& column : part.rows->columns) {
      const bool time = column.type == RowType::instant || column.type == RowType::local;
      const auto at = std::ranges::find(names, column.name);
      if (time && at != names.end()) return static_cast<std::size_t>(at - names.begin());
    }
  }
  if (samples.empty()) return 0;
  const auto keys =
      options.key.empty() ? std::vector<std::string>() : names_joined(options.key, names);
  const auto is_key = [&](std::size_t cell) { return keys.size() == 1 && names[cell] == keys[0]; };
  for (const bool years : {false, true}) {
    for (std::size_t cell = 0; cell < names.size(); ++cell) {
      if (is_key(cell)) continue;
      const auto texts = column_samples(samples, cell, missing_words);
      if (texts.empty()) continue;
      TimeFormat format = options.time_format;
      if (format.kind == TimeFormat::Kind::automatic) {
        const auto format_found = find_time_format(texts);
        if (!format_found) continue;
        format = *format_found;
        if (is_epoch(format.kind) && !plausible_epochs(format, texts)) continue;
        if (only_years(texts) != years) continue;
      }
      if (count_reading(format, texts) * 2 >= texts.size()) return cell;
    }
  }
  const bool comment = !names.empty() && names[0].starts_with('#');
  const bool one_wide =
      names.size() == 1 && !samples.empty() && samples[0][0].find("  ") != std::string::npos;
  fail_input(
      "{}: no column reads as times; there is {}. {}{}{}{}{}Name one with --time, and its format "
      "with "
      "--time-format; records without times get them from zerobeat stamp; lines before the header "
      "are passed over with --skip-lines",
      source.name, listed_in_line(names), clock_hint(samples, names, missing_words),
      dated_header_hint(names), counting_hint(samples, names, missing_words),
      comment ? "Lines that begin with # are passed over with --comment '#'. " : "",
      one_wide ? "Cells with spaces between are told apart by --delimiter space. " : "");
}

/// The column that an option names.
std::size_t place_of(const std::string& name, const std::string& option, const std::string& source,
                     const std::vector<std::string>& names) {
  const auto at = std::ranges::find(names, name);
  if (at == names.end()) {
    fail_usage("--{}: {} has no column \"{}\"{}", option, source, shown(name),
               did_you_mean(name, names));
  }
  return static_cast<std::size_t>(at - names.begin());
}

/// The columns that an option names with + between them: one, or several.
std::vector<std::size_t> places_named(const std::string& text, const std::string& option,
                                      const std::string& source,
                                      const std::vector<std::string>& names) {
  const auto named = names_joined(text, names);
  std::vector<std::size_t> places;
  for (const auto& name : named) {
    places.push_back(
        place_of(name, named.size() > 1 ? option + " " + text : option, source, names));
    if (std::ranges::count(places, places.back()) > 1) {
      fail_usage("--{} {}: \"{}\" is named twice", option, text, name);
    }
  }
  return places;
}

void find_time(const OpenSource& source, FoundLayout& found, const ReadOptions& options,
               const MissingWords& missing_words, const Samples& samples) {
  Layout& layout = found.layout;
  if (options.time.empty()) {
    layout.time_cells = {find_time_column(source, found, samples, options, missing_words)};
    found.time_name = found.names[layout.time_cells[0]];
  } else {
    layout.time_cells = places_named(options.time, "time", source.name, found.names);
    for (const std::size_t cell : layout.time_cells) {
      found.time_name += (found.time_name.empty() ? "" : "+") + found.names[cell];
    }
  }
  if (layout.time_cells.size() > 1) {
    std::vector<std::string> names;
    std::vector<std::vector<std::string>> texts;
    for (const std::size_t cell : layout.time_cells) {
      names.push_back(found.names[cell]);
      texts.push_back(column_samples(samples, cell, missing_words));
    }
    const bool told = options.time_format.kind != TimeFormat::Kind::automatic;
    layout.time_join = told ? plain_join(names.size()) : find_time_join(names, texts);
    order_time_cells(layout);
  }

  found.time_samples = column_samples(samples, layout, missing_words);
  layout.times.format = options.time_format;
  if (options.time_format.kind == TimeFormat::Kind::automatic) {
    found.format_found = true;
    layout.times.format =
        find_time_format(found.time_samples).value_or(format_of(TimeFormat::Kind::iso));
  }
  if (options.time.empty() == false && layout.time_cells.size() == 1 && found.format_found &&
      !found.time_samples.empty() && std::ranges::all_of(found.time_samples, is_clock)) {
    fail_input("{}: {}", source.name, clock_hint(samples, found.names, missing_words));
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

void check_options(const ReadOptions& options) {
  if (options.skip_lines < 0) {
    fail_usage("--skip-lines {}: a number of lines is not negative", options.skip_lines);
  }
  const bool elapsed = options.time_format.kind == TimeFormat::Kind::elapsed;
  if (elapsed && !options.zone.is_utc()) {
    fail_usage("--zone {}: times read as {} have no zone", options.zone.name(),
               to_text(options.time_format));
  }
  const std::string& mark = options.thousands;
  if (mark.empty()) return;
  const std::size_t length = utf8_length(mark);
  if (length != mark.size() || (length == 1 && mark[0] >= '0' && mark[0] <= '9')) {
    fail_usage("--thousands \"{}\": a grouping mark is one character", mark);
  }
  if (mark[0] == (options.decimal == DecimalMark::comma ? ',' : '.')) {
    fail_usage("--thousands {}: is the decimal mark, too; see --decimal", mark);
  }
}

/// Whether a part begins with the very header that the part before begins with, as daily files do:
/// then its shape is the same.
bool has_header_of(std::string_view head, const RecordForm& form, const SourceText& before,
                   const FoundPart& found) {
  const Shape& shape = found.shape;
  const bool first_line = shape.header_line == 1 && shape.data_line == 2;
  if (form.named || form != shape.form || !first_line) return false;
  const std::string_view header = before.until(shape.data_begin).substr(0, shape.data_begin);
  return head.starts_with(header);
}

/// The shapes of all parts, and what columns they have between them.
void find_parts(const OpenSource& source, const ReadOptions& options, const FurtherNames& further,
                FoundLayout& found) {
  for (std::size_t i = 0; i < source.parts.size(); ++i) {
    const Part& part = source.parts[i];
    FoundPart& own = found.parts.emplace_back();
    if (part.rows) {
      for (const RowColumn& column : part.rows->columns) own.shape.names.push_back(column.name);
      if (own.shape.names.empty()) fail_input("{}: has no columns", part.name);
      continue;
    }
    const std::string_view head =
        part.text.stream ? part.text.until(head_bytes).substr(0, head_bytes) : part.text.text;
    const FoundPart* const before = i > 0 ? &found.parts[i - 1] : nullptr;
    if (before != nullptr && !source.parts[i - 1].rows &&
        has_header_of(head, part.form, source.parts[i - 1].text, *before)) {
      own.shape = before->shape;
      continue;
    }
    own.shape = find_shape(part.text, head, part.form, options);
    if (!own.shape.form.named) continue;
    find_json_names(head, own.shape);
    if (i < further.size()) {
      for (const auto& name : further[i]) {
        if (std::ranges::find(own.shape.names, name) == own.shape.names.end()) {
          own.shape.names.push_back(name);
        }
      }
    }
    if (own.shape.names.empty()) {
      fail_input("{}: its first lines are no JSON objects; JSON lines have one on each line",
                 part.name);
    }
  }
  std::unordered_map<std::string, std::size_t> places;
  for (FoundPart& own : found.parts) {
    for (const auto& name : own.shape.names) {
      if (places.try_emplace(name, found.names.size()).second) found.names.push_back(name);
    }
  }
  for (FoundPart& own : found.parts) {
    own.cells.assign(found.names.size(), absent_cell);
    for (std::size_t cell = 0; cell < own.shape.names.size(); ++cell) {
      own.cells[places.at(own.shape.names[cell])] = cell;
    }
  }
}

/// What the look at the parts noticed.
void note_parts(const OpenSource& source, FoundLayout& found) {
  const bool several = found.parts.size() > 1;
  for (std::size_t i = 0; i < found.parts.size(); ++i) {
    const Shape& shape = found.parts[i].shape;
    const std::string file = several ? source.parts[i].name : "";
    if (source.parts[i].returns > 0) {
      found.findings.push_back({"line-ends", source.parts[i].returns, 1,
                                "lines that end in returns alone; they were read so", file});
    }
    if (shape.passed_lines > 0) {
      found.findings.push_back(
          {"preamble", shape.passed_lines, shape.header_line - 1,
           fmt::format("lines before the header, which is line {}; they were passed over, as "
                       "--skip-lines {} says",
                       shape.header_line, shape.header_line - 1),
           file});
      found.findings.back().first_line = 1;
    }
  }
  for (std::size_t column = 0; column < found.names.size(); ++column) {
    std::int64_t lack = 0;
    std::size_t first = 0;
    for (std::size_t i = found.parts.size(); i-- > 0;) {
      if (found.parts[i].cells[column] != absent_cell) continue;
      ++lack;
      first = i;
    }
    if (lack == 0) continue;
    found.findings.push_back(
        {"column-absent", lack, 0,
         fmt::format("of {} files have no column \"{}\", {} the first; its readings are missing "
                     "there; see --columns",
                     grouped(static_cast<std::int64_t>(found.parts.size())), found.names[column],
                     source.parts[first].name),
         source.parts[first].name});
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

/// Samples of all parts by the source's columns.
Samples take_samples(const OpenSource& source, const FoundLayout& found) {
  Samples samples;
  for (std::size_t i = 0; i < found.parts.size(); ++i) {
    const Part& part = source.parts[i];
    if (part.rows) {
      RowBatch batch;
      part.rows->next(batch);
      const std::size_t most = std::max<std::size_t>(4, 1000 / found.parts.size());
      for (std::size_t row = 0; row < std::min(batch.rows, most); ++row) {
        auto& sample = samples.emplace_back(found.names.size());
        for (std::size_t c = 0; c < sample.size(); ++c) {
          const std::size_t cell = found.parts[i].cells[c];
          if (cell == absent_cell) continue;
          sample[c] = cell_text(part.rows->columns[cell], batch.columns[cell], row);
        }
      }
      part.rows->rewind();
      continue;
    }
    const std::string_view text =
        part.text.stream ? part.text.until(head_bytes).substr(0, head_bytes) : part.text.text;
    Sampler(found.parts[i], found.layout, found.parts.size(), samples).take(text);
  }
  return samples;
}

}  // namespace

Layout FoundLayout::of_part(std::size_t part) const {
  Layout own = layout;
  const FoundPart& found = parts[part];
  own.named = found.shape.form.named;
  own.delimiter = found.shape.delimiter;
  own.runs = found.shape.runs;
  own.quote = found.shape.quote;
  own.cells = found.shape.names.size();
  own.cell_names = found.shape.names;
  for (std::size_t& cell : own.time_cells) cell = found.cells[cell];
  for (std::size_t& cell : own.key_cells) cell = found.cells[cell];
  for (ValueColumn& value : own.values) value.cell = found.cells[value.cell];
  return own;
}

FoundLayout find_layout(const OpenSource& source, const ReadOptions& options,
                        const MissingWords& missing_words, const FurtherNames& further) {
  check_options(options);
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
  layout.times.not_before = limit(options.not_before, "--not-before");
  layout.times.not_after = limit(options.not_after, "--not-after");

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
    Told& own = told[place_of(name, "number", source.name, found.names)];
    if (own == Told::text) {
      fail_usage("--text and --number both name \"{}\"; it is one or the other", shown(name));
    }
    own = Told::number;
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
