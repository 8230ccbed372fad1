#include <algorithm>
#include <map>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/plan/report.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/version.hpp>

#include "plan/step_changes.hpp"

namespace zerobeat::inline v1 {

namespace {

/// The last kept record that stands at a line or before it; the first one when none does.
std::size_t record_before(const Records& records, std::uint64_t line) {
  std::size_t low = 0, high = records.size();
  while (low < high) {
    const std::size_t middle = low + (high - low) / 2;
    if (records.places->line(middle) <= line) {
      low = middle + 1;
    } else {
      high = middle;
    }
  }
  return low == 0 ? 0 : low - 1;
}

/// Which strand a record belongs to.
class StrandOf {
 public:
  explicit StrandOf(const Timeline& timeline) {
    for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
      places_.emplace(timeline.strands()[s].key.value_or(""), s);
    }
  }
  std::size_t operator()(const Records& records, std::size_t record) const {
    const auto strand = places_.find(records.keys ? records.keys->text(record) : "");
    return strand == places_.end() ? 0 : strand->second;
  }

 private:
  std::map<std::string, std::size_t> places_;
};

bool has_places(const Records& records) {
  return records.size() > 0 && records.places != nullptr && records.places->size() > 0;
}

std::string remedy_of(const Judgement& judgement, std::string_view kind) {
  const auto finding = std::ranges::find(judgement.findings, kind, &Finding::kind);
  return finding == judgement.findings.end() ? std::string() : finding->message;
}

std::vector<PageMark> marks_of(const Records& records, const Judgement& judgement,
                               const StrandOf& strand_of) {
  std::vector<PageMark> marks;
  if (!has_places(records)) return marks;
  const SourceAccount& account = *judgement.account;
  for (const Fault& fault : account.faults) {
    const std::size_t record = record_before(records, fault.line);
    PageMark mark;
    mark.at = records.times.times()[record];
    mark.strand = strand_of(records, record);
    mark.line = fault.line;
    mark.byte = account.file_byte(fault).value_or(SourceAccount::byte_within(fault.byte));
    mark.reason = word(fault.reason);
    mark.column = account.column_of(fault);
    mark.text = account.text_of(fault);
    mark.remedy = remedy_of(judgement, mark.reason);
    marks.push_back(std::move(mark));
  }
  return marks;
}

/// Where findings were first seen. Of several files a line alone tells no record; those have none.
std::vector<PageMark> findings_of(const Records& records, const Judgement& judgement,
                                  const StrandOf& strand_of) {
  std::vector<PageMark> marks;
  if (!has_places(records)) return marks;
  const SourceAccount& account = *judgement.account;
  for (const Finding& finding : judgement.findings) {
    if (finding.first_line == 0 || !finding.file.empty()) continue;
    const std::size_t record = record_before(records, finding.first_line);
    PageMark mark;
    mark.at = records.times.times()[record];
    mark.strand = strand_of(records, record);
    mark.line = finding.first_line;
    mark.reason = finding.kind;
    const auto fault = std::ranges::find(account.faults, finding.first_line, &Fault::line);
    if (records.places->line(record) == finding.first_line || fault == account.faults.end()) {
      const std::uint64_t place = records.places->byte(record);
      const Fault here{.line = mark.line, .byte = place, .length = account.record_length(place)};
      mark.byte = account.file_byte(here).value_or(SourceAccount::byte_within(place));
      mark.text = account.text_of(here);
    } else {
      mark.byte = account.file_byte(*fault).value_or(SourceAccount::byte_within(fault->byte));
      mark.text = account.text_of(*fault);
    }
    mark.remedy = finding.message;
    marks.push_back(std::move(mark));
  }
  return marks;
}

/// A series, from the sources that its account names.
PageFlow flow_of(const Timeline& timeline, const std::vector<PageSource>& sources) {
  PageFlow flow{timeline.name(), false, {}, {}};
  for (const StepAccount& step : timeline.account().steps) flow.lines.push_back(step.step);
  for (std::size_t i = 0; i < sources.size(); ++i) {
    const auto& file = sources[i].judgement.account->source;
    const auto is_it = [&](const auto& account) { return account && account->source == file; };
    if (std::ranges::any_of(timeline.account().sources, is_it)) flow.from.push_back(i);
  }
  return flow;
}

}  // namespace

PageSource page_series_of(const Timeline& timeline) {
  PageSource page{{}, timeline, {}, {}, {}};
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    page.missing.push_back(missing_spans(timeline, s, nullptr));
  }
  return page;
}

PageSource page_source(const Records& records, const JudgeOptions& judging) {
  PageSource source{judge(records, judging), settle(records), {}, {}, {}};
  const auto& settled = source.timeline.account().sources;
  if (!settled.empty() && settled.front() != nullptr) source.judgement.account = settled.front();
  for (std::size_t s = 0; s < source.timeline.strands().size(); ++s) {
    source.missing.push_back(missing_spans(source.timeline, s, nullptr, judging.gap_factor));
  }
  const StrandOf strand_of(source.timeline);
  source.marks = marks_of(records, source.judgement, strand_of);
  source.findings = findings_of(records, source.judgement, strand_of);
  return source;
}

void report(std::span<const Records> sources, std::span<const Timeline> series,
            const std::string& path) {
  PageContent content;
  for (const Records& records : sources) content.sources.push_back(page_source(records));
  Account steps;
  detail::StepChanges changes;
  std::vector<Timeline> given;
  for (const PageSource& source : content.sources) {
    given.push_back(source.timeline);
    content.flow.push_back({source.timeline.name(), true, {}, {}});
  }
  for (const Timeline& timeline : series) {
    add_to(steps, timeline.account());
    content.series.push_back(page_series_of(timeline));
    content.flow.push_back(flow_of(timeline, content.sources));
    if (steps.steps.empty()) continue;
    StepAccount all;
    for (const StepAccount& step : timeline.account().steps) {
      all.cells_filled += step.cells_filled;
      all.cells_clipped += step.cells_clipped;
    }
    changes.note(steps.steps.size() - 1, all, given, timeline);
  }
  content.changes = changes.changes();
  content.all_changes = changes.all_changes();
  content.stretches = changes.stretches();
  content.steps = std::move(steps.steps);
  content.origin.version = version();
  for (const PageSource& source : content.sources) {
    const std::string& file = source.judgement.account->source;
    content.origin.inputs.push_back({file, digest_of_file(file)});
  }
  Output output(path);
  output.write(page_html(content));
  output.commit();
}

}  // namespace zerobeat
