#include <map>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/plan/report.hpp>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/version.hpp>

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

std::vector<PageMark> marks_of(const Records& records, const SourceAccount& account,
                               const Timeline& timeline) {
  std::vector<PageMark> marks;
  if (records.size() == 0 || records.places == nullptr || records.places->size() == 0) return marks;
  std::map<std::string, std::size_t> strand_of;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    strand_of.emplace(timeline.strands()[s].key.value_or(""), s);
  }
  for (const Fault& fault : account.faults) {
    const std::size_t record = record_before(records, fault.line);
    PageMark mark;
    mark.at = records.times.times()[record];
    const auto strand = strand_of.find(records.keys ? records.keys->text(record) : "");
    mark.strand = strand == strand_of.end() ? 0 : strand->second;
    mark.line = fault.line;
    mark.byte = account.file_byte(fault).value_or(SourceAccount::byte_within(fault.byte));
    mark.reason = word(fault.reason);
    mark.column = account.column_of(fault);
    mark.text = account.text_of(fault);
    marks.push_back(std::move(mark));
  }
  return marks;
}

}  // namespace

PageSource page_source(const Records& records, const JudgeOptions& judging) {
  PageSource source{judge(records, judging), settle(records), {}, {}};
  const auto& settled = source.timeline.account().sources;
  if (!settled.empty() && settled.front() != nullptr) source.judgement.account = settled.front();
  for (std::size_t s = 0; s < source.timeline.strands().size(); ++s) {
    source.missing.push_back(missing_spans(source.timeline, s, nullptr, judging.gap_factor));
  }
  source.marks = marks_of(records, *source.judgement.account, source.timeline);
  return source;
}

void report(std::span<const Records> sources, std::span<const Timeline> series,
            const std::string& path) {
  PageContent content;
  for (const Records& records : sources) content.sources.push_back(page_source(records));
  Account steps;
  for (const Timeline& timeline : series) add_to(steps, timeline.account());
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
