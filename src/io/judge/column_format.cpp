#include "io/judge/column_format.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "io/judge/date_orders.hpp"
#include "io/text/split_json.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Two samples whose day and month could stand either way round.
std::string ambiguous_examples(const FoundLayout& found) {
  std::string examples;
  int shown = 0;
  for (const auto& sample : found.time_samples) {
    const TimestampOptions& times = found.layout.times;
    const bool by_also = times.format.kind != TimeFormat::Kind::dated && times.also;
    TimestampReader reader({.format = by_also ? *times.also : times.format});
    reader.read(sample);
    const auto& differ = reader.counts().differ;
    const bool either = differ[0] + differ[1] + differ[2] > 0;
    if (!either || examples.find("\"" + sample + "\"") != std::string::npos) continue;
    examples += (shown == 0 ? "\"" : " and \"") + sample + "\"";
    if (++shown == 2) break;
  }
  return examples.empty() ? "every date" : examples;
}

/// The cells of a rejected record by the source's columns; none when it can't be split.
std::optional<std::vector<std::string>> loose_cells(const Assembly& assembly,
                                                    const FoundLayout& found, const Fault& fault) {
  const SourceAccount& account = assembly.account;
  const FoundPart& part = found.parts[fault.byte / part_bytes];
  const Shape& shape = part.shape;
  std::vector<std::string> cells;
  if (account.part_of(fault.byte).has_rows()) return std::nullopt;
  const std::string_view raw = account.raw(fault.byte, fault.length);
  if (shape.form.named) {
    if (!read_loose_json(raw, shape.names, cells)) return std::nullopt;
  } else {
    cells = read_loose_record(raw, 0, shape.delimiter, shape.quote, shape.runs).cells;
    if (cells.size() != shape.names.size()) return std::nullopt;
  }
  std::vector<std::string> own(part.cells.size());
  for (std::size_t i = 0; i < own.size(); ++i) {
    if (part.cells[i] != absent_cell) own[i] = cells[part.cells[i]];
  }
  return own;
}

/// The texts of times that the format did not read, from all over the source.
std::vector<std::string> texts_not_read(const Assembly& assembly, const FoundLayout& found,
                                        const MissingWords& missing_words, std::int64_t& count) {
  const auto is_time_fault = [](const Fault& fault) {
    return fault.reason == Reason::unreadable_time || fault.reason == Reason::impossible_time ||
           fault.reason == Reason::out_of_range_time;
  };
  const auto& faults = assembly.account.faults;
  count = 0;
  for (const auto reason :
       {Reason::unreadable_time, Reason::impossible_time, Reason::out_of_range_time}) {
    count += assembly.account.by_reason[static_cast<std::size_t>(reason)];
  }
  std::vector<std::string> texts;
  const std::int64_t step = std::ranges::count_if(faults, is_time_fault) / 2000 + 1;
  std::int64_t n = 0;
  for (const Fault& fault : faults) {
    if (!is_time_fault(fault) || n++ % step != 0) continue;
    const auto cells = loose_cells(assembly, found, fault);
    if (!cells) continue;
    std::string joined;
    const std::string_view text = joined_time(
        found.layout, missing_words, [&](std::size_t c) { return std::string_view((*cells)[c]); },
        joined);
    if (!text.empty()) texts.emplace_back(text);
  }
  return texts;
}

}  // namespace

bool correct_format(const Assembly& assembly, FoundLayout& found, const ReadOptions& options,
                    const MissingWords& missing_words) {
  TimestampOptions& times = found.layout.times;
  if (is_epoch(times.format.kind)) {
    const auto decision = decide_epoch_unit(assembly.counts, times.format.kind);
    if (decision.unit != times.format.kind || decision.also) {
      times.format = format_of(decision.unit);
      if (decision.also) times.also = format_of(*decision.also);
      return true;
    }
  }
  std::int64_t failed = 0;
  const auto texts = texts_not_read(assembly, found, missing_words, failed);
  // Of what was not read, what is a time in another format: the one that reads the most of it.
  std::vector<std::string> telling;
  auto other = find_time_format(texts);
  if (!other) {
    // Less than half of them; those that look like times may still be of one format.
    using Kind = TimeFormat::Kind;
    std::vector<TimeFormat> candidates{format_of(Kind::iso), format_of(Kind::named),
                                       format_of(Kind::compact)};
    for (const auto order : {DateOrder::dmy, DateOrder::mdy, DateOrder::ymd}) {
      candidates.push_back(format_of(Kind::dated, order));
    }
    for (const auto& text : texts) {
      const bool reads = std::ranges::any_of(candidates, [&](const TimeFormat& format) {
        TimestampReader reader({.format = format, .repeated = Repeated::earlier});
        return reader.read(text).verdict == TimeVerdict::ok && is_telling(text, format);
      });
      if (reads) telling.push_back(text);
    }
    other = find_time_format(telling);
  }
  if (!other || *other == times.format) return false;
  // Dates in another order are for correct_date_order to judge.
  const bool own_dated = times.format.kind == TimeFormat::Kind::dated;
  if (other->kind == TimeFormat::Kind::dated && (own_dated || options.date_order)) {
    if (own_dated) return false;
    other->order = *options.date_order;
  }
  std::int64_t reads = 0, telling_reads = 0;
  TimestampReader reader({.format = *other, .repeated = Repeated::earlier});
  for (const auto& text : texts) {
    if (reader.read(text).verdict != TimeVerdict::ok) continue;
    ++reads;
    telling_reads += is_telling(text, *other);
  }
  if (reads == 0) return false;
  const auto share = static_cast<double>(reads) / static_cast<double>(texts.size());
  const double of_other = share * static_cast<double>(failed);
  const auto of_own = static_cast<double>(assembly.account.kept);
  if (of_other > of_own) {
    const TimeFormat time_format = times.format;
    times.format = *other;
    if (of_own > 0) times.also = time_format;
    return true;
  }
  // One odd cell is no second format unless it can be nothing else.
  if (telling_reads * 10 < reads * 9) return false;
  if (other->kind == TimeFormat::Kind::dated && of_other * 10 < of_own + of_other) {
    const auto decision = decide_date_order(reader.counts(), other->order);
    if (decision.ambiguous) return false;
  }
  times.also = *other;
  return true;
}

bool correct_date_order(const Assembly& assembly, FoundLayout& found, bool go_on) {
  TimestampOptions& times = found.layout.times;
  const bool first = times.format.kind == TimeFormat::Kind::dated;
  const bool second = times.also && times.also->kind == TimeFormat::Kind::dated;
  if (first == second) return false;  // none, or two orders that no date is of both
  TimeFormat& format = first ? times.format : *times.also;
  const auto decision = decide_date_order(assembly.counts, format.order);
  if (decision.ambiguous) {
    const auto& differ = assembly.counts.differ;
    const bool year_too = differ[1] + differ[2] > 0;
    std::vector<DateOrder> orders{DateOrder::dmy, DateOrder::mdy};
    if (year_too) orders.push_back(DateOrder::ymd);
    const std::string what = fmt::format(
        "{} can't be told: {} read both ways; {}; say ‹date_order› dmy or ‹date_order› mdy{}",
        year_too ? "which of day, month and year comes first" : "whether day or month comes first",
        ambiguous_examples(found), made_by_orders(found.time_samples, orders),
        year_too ? " or ‹date_order› ymd" : "");
    if (!go_on) {
      fail_input("{}: column \"{}\": {}", assembly.account.source, found.time_name, what);
    }
    const auto told = std::ranges::find(found.findings, "ambiguous-order", &Finding::kind);
    if (told == found.findings.end()) {
      found.findings.push_back(
          {"ambiguous-order", std::max({differ[0], differ[1], differ[2]}), 0,
           fmt::format("dates of which {}; here they are read as {}", what, to_text(format.order)),
           ""});
    }
    return false;
  }
  if (decision.order != format.order) {
    format.order = decision.order;
    return true;
  }
  // Dates of the one order and of the other, and none that is of both.
  if (!first || times.also || !found.format_found || !decision.also) return false;
  times.also = format_of(TimeFormat::Kind::dated, *decision.also);
  return true;
}

std::vector<Finding> time_findings(const Assembly& assembly, const FoundLayout& found) {
  std::vector<Finding> findings;
  const TimestampCounts& counts = assembly.counts;
  const TimestampOptions& times = found.layout.times;
  const auto note = [&](const char* kind, std::int64_t count, std::uint64_t line_plus_1,
                        std::string message) {
    const std::uint64_t line = line_plus_1 % part_bytes;
    const auto& parts = assembly.account.parts;
    findings.push_back({kind, count, line == 0 ? 0 : line - 1, std::move(message),
                        parts.size() > 1 ? parts[line_plus_1 / part_bytes].name : ""});
  };
  const FirstLines& first = assembly.first_lines;
  if (counts.digits_cut > 0) {
    note("digits-cut", counts.digits_cut, first.cut,
         "times with more than nine digits of the second; what was past the nanosecond is cut");
  }
  const bool both_epochs = is_epoch(times.format.kind) && times.also && is_epoch(times.also->kind);
  if (times.also && counts.by_also > 0) {
    const std::int64_t others = assembly.account.kept - counts.by_also;
    note(both_epochs ? "mixed-units" : "mixed-formats", counts.by_also, first.also,
         fmt::format("times are {} among {} that are {}; each was read as what it is",
                     to_text(*times.also), grouped(others), to_text(times.format)));
  } else if (is_epoch(times.format.kind)) {
    const auto unit = decide_epoch_unit(counts, times.format.kind);
    const auto place = [](TimeFormat::Kind kind) {
      return static_cast<std::size_t>(kind) - static_cast<std::size_t>(TimeFormat::Kind::epoch_s);
    };
    std::int64_t odd = 0;
    for (const auto kind : {std::optional(unit.unit), unit.also}) {
      if (kind && *kind != times.format.kind) odd += counts.magnitudes[place(*kind)].count;
    }
    if (odd > 0) {
      note("mixed-units", odd, 0,
           fmt::format("times whose size speaks for another unit than {}, as which they were read; "
                       "see ‹time_format›",
                       to_text(times.format)));
    }
  }
  if (counts.with_offset > 0 && counts.without_offset > 0 && !is_epoch(times.format.kind) &&
      !(times.also && is_epoch(times.also->kind))) {
    const bool fewer_without = counts.without_offset <= counts.with_offset;
    note("mixed-offsets", fewer_without ? counts.without_offset : counts.with_offset,
         fewer_without ? first.without_offset : first.with_offset,
         fewer_without
             ? fmt::format("times without an offset among {} with one; they were read in {}",
                           grouped(counts.with_offset), times.zone.name())
             : fmt::format("times with an offset among {} without; it holds against {}",
                           grouped(counts.without_offset), times.zone.name()));
  }
  return findings;
}

}  // namespace zerobeat::detail
