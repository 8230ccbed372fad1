#include <algorithm>
#include <set>
#include <tuple>
#include <utility>
#include <zerobeat/judge/records.hpp>

namespace zerobeat {

void Places::add(std::uint64_t base, std::span<const std::uint32_t> offsets,
                 std::span<const Run> runs) {
  const std::uint64_t first = offsets_.size();
  if (offsets.empty()) return;
  bases_.push_back({first, base});
  offsets_.append(offsets);
  for (const Run& run : runs) {
    const Run moved{run.record + first, run.line};
    const bool same_run =
        !runs_.empty() && moved.line - runs_.back().line == moved.record - runs_.back().record;
    if (!same_run) runs_.push_back(moved);
  }
}

Places Places::kept(std::span<const std::int64_t> records) const {
  Places out;
  out.offsets_.reserve(records.size());
  for (const std::int64_t at : records) {
    const auto record = static_cast<std::size_t>(at);
    const auto base = std::prev(std::ranges::upper_bound(bases_, record, {}, &Base::record));
    const std::uint64_t own_line = line(record);
    const std::uint64_t number = out.offsets_.size();
    if (out.bases_.empty() || out.bases_.back().byte != base->byte) {
      out.bases_.push_back({number, base->byte});
    }
    if (out.runs_.empty() || own_line - out.runs_.back().line != number - out.runs_.back().record) {
      out.runs_.push_back({number, own_line});
    }
    out.offsets_.push_back(offsets_[record]);
  }
  return out;
}

std::uint64_t Places::line(std::size_t record) const {
  const auto after = std::ranges::upper_bound(runs_, record, {}, &Run::record);
  const Run& run = *std::prev(after);
  return run.line + (record - run.record);
}

std::uint64_t Places::byte(std::size_t record) const {
  const auto after = std::ranges::upper_bound(bases_, record, {}, &Base::record);
  return std::prev(after)->byte + offsets_[record];
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
