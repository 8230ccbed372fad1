#include <algorithm>
#include <set>
#include <tuple>
#include <utility>
#include <zerobeat/judge/records.hpp>

namespace zerobeat::inline v1 {

namespace {

/// Where the bytes of records would be that were not kept.
constexpr std::uint64_t not_kept = static_cast<std::uint64_t>(-1);

}  // namespace

void Places::add(std::uint64_t base, std::span<const std::uint32_t> offsets,
                 std::span<const Run> runs) {
  if (offsets.empty()) return;
  bases_.push_back({size_, base, offsets_.size(), 0});
  offsets_.append(offsets);
  add_runs(runs, offsets.size());
}

void Places::add_rows(std::uint64_t base, std::uint64_t line, std::size_t count,
                      std::span<const Run> runs) {
  if (count == 0) return;
  const bool goes_on = !bases_.empty() && bases_.back().is_of_rows() &&
                       base - bases_.back().byte == line - bases_.back().line;
  if (!goes_on) bases_.push_back({size_, base, 0, line});
  add_runs(runs, count);
}

bool Places::Base::is_of_rows() const { return line != 0 && offset != not_kept; }

void Places::add_lines(std::uint64_t base, std::uint64_t line, std::size_t count,
                       std::span<const Run> runs) {
  if (count == 0) return;
  bases_.push_back({size_, base, not_kept, line});
  add_runs(runs, count);
}

void Places::add_runs(std::span<const Run> runs, std::size_t count) {
  for (const Run& run : runs) {
    const Run moved{run.record + size_, run.line};
    const bool same_run =
        !runs_.empty() && moved.line - runs_.back().line == moved.record - runs_.back().record;
    if (!same_run) runs_.push_back(moved);
  }
  size_ += count;
}

const Places::Base& Places::base_of(std::size_t record) const {
  return *std::prev(std::ranges::upper_bound(bases_, record, {}, &Base::record));
}

Places Places::kept(std::span<const std::int64_t> records) const {
  Places out;
  for (const std::int64_t at : records) {
    const auto record = static_cast<std::size_t>(at);
    check(record);
    const Base& base = base_of(record);
    const Run run{0, line(record)};
    if (base.is_of_rows()) {
      out.add_rows(base.byte, base.line, 1, {&run, 1});
      continue;
    }
    if (base.offset == not_kept) {
      out.add_lines(base.byte, base.line, 1, {&run, 1});
      continue;
    }
    const std::uint32_t offset = offsets_[base.offset + (record - base.record)];
    const bool same_base =
        !out.bases_.empty() && out.bases_.back().line == 0 && out.bases_.back().byte == base.byte;
    if (same_base) {
      out.offsets_.push_back(offset);
      out.add_runs({&run, 1}, 1);
    } else {
      out.add(base.byte, {&offset, 1}, {&run, 1});
    }
  }
  return out;
}

std::uint64_t Places::line(std::size_t record) const {
  check(record);
  const auto after = std::ranges::upper_bound(runs_, record, {}, &Run::record);
  const Run& run = *std::prev(after);
  return run.line + (record - run.record);
}

void Places::check(std::size_t record) const {
  if (record >= size_) fail_usage("record {} has no place: there are {}", record, size_);
}

std::uint64_t Places::byte(std::size_t record) const {
  check(record);
  const Base& base = base_of(record);
  if (base.is_of_rows()) return base.byte + (line(record) - base.line);
  if (base.offset == not_kept) return base.byte;
  return base.byte + offsets_[base.offset + (record - base.record)];
}

Places::LineStart Places::known_start(std::size_t record) const {
  check(record);
  const Base& base = base_of(record);
  if (base.offset == not_kept) return {base.line, base.byte};
  return {line(record), byte(record)};
}

void reject_in_account(SourceAccount& account, const Places& places,
                       const std::map<std::int64_t, Reason>& rejected, std::int32_t time_column) {
  std::set<std::pair<std::uint64_t, std::uint64_t>> lines;  // of a part
  for (const auto& [row, reason] : rejected) {
    const std::uint64_t byte = places.byte(static_cast<std::size_t>(row));
    const std::uint64_t line = places.line(static_cast<std::size_t>(row));
    lines.emplace(byte / part_bytes, line);
    account.faults.push_back({line, byte, account.record_length(byte), time_column, reason});
    ++account.by_reason[static_cast<std::size_t>(reason)];
  }
  // A record that is rejected has no unreadable readings any more.
  std::set<std::pair<std::uint64_t, std::uint64_t>> cleared;
  std::erase_if(account.faults, [&](const Fault& fault) {
    const std::pair line(fault.byte / part_bytes, fault.line);
    if (fault.reason != Reason::unreadable_reading || !lines.contains(line)) return false;
    --account.by_reason[static_cast<std::size_t>(Reason::unreadable_reading)];
    cleared.insert(line);
    return true;
  });
  account.records_with_unreadable -= static_cast<std::int64_t>(cleared.size());
  account.kept -= static_cast<std::int64_t>(rejected.size());
  account.rejected += static_cast<std::int64_t>(rejected.size());
  std::ranges::stable_sort(account.faults, {}, [](const Fault& f) {
    return std::tuple(f.byte / part_bytes, f.line, f.byte);
  });
}

}  // namespace zerobeat
