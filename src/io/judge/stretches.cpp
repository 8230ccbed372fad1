#include "io/judge/stretches.hpp"

#include <algorithm>
#include <memory>
#include <utility>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Whether one of some times is not before another.
ZEROBEAT_CLONES
bool any_from(const Instant* times, std::size_t count, Instant from) {
  std::int64_t any = 0;
  for (std::size_t i = 0; i < count; ++i) any |= -std::int64_t{times[i] >= from};
  return any != 0;
}

/// The rows that are held back: those of each strand from a time on.
std::vector<std::int64_t> rows_held_back(const Records& records, std::span<const Instant> from) {
  std::vector<std::int64_t> rows;
  const auto times = records.times.times();
  if (!records.keys) {
    // Mostly the last ones: whole blocks before them have none.
    constexpr std::size_t block = 512;
    for (std::size_t begin = 0; begin < times.size(); begin += block) {
      const auto own = times.subspan(begin, std::min(block, times.size() - begin));
      if (!any_from(own.data(), own.size(), from[0])) continue;
      for (std::size_t i = 0; i < own.size(); ++i) {
        if (own[i] >= from[0]) rows.push_back(static_cast<std::int64_t>(begin + i));
      }
    }
    return rows;
  }
  const auto codes = records.keys->codes();
  constexpr std::size_t unseen = static_cast<std::size_t>(-1);
  std::vector<std::size_t> strand_of(records.keys->dictionary().size(), unseen);
  std::size_t strands = 0;
  for (std::size_t row = 0; row < times.size(); ++row) {
    std::size_t& strand = strand_of[static_cast<std::size_t>(codes[row])];
    if (strand == unseen) strand = strands++;
    if (times[row] >= from[strand]) rows.push_back(static_cast<std::int64_t>(row));
  }
  return rows;
}

/// Texts that are all true or false so far may be booleans in the end.
bool may_be_booleans(const Column& column) {
  return column.type() == Column::Type::text && !column.dictionary().empty() &&
         std::ranges::all_of(column.dictionary(), [](const std::string& text) {
           return text == "true" || text == "false";
         });
}

}  // namespace

Stretching::Stretching(Records head, std::size_t stretch_rows, TakeRecords take)
    : head_(std::move(head)),
      take_(std::move(take)),
      least_rows_(stretch_rows == 0 ? std::size_t{1} << 16 : stretch_rows),
      wanted_rows_(least_rows_) {}

void Stretching::look_at(Assembly& assembly) {
  if (assembly.times.size() >= wanted_rows_) hand_on(assembly, false);
}

void Stretching::finish(Assembly& assembly) { hand_on(assembly, true); }

bool Stretching::took_for_whole(const Assembly& assembly) const {
  return handed_on_ && assembly.with_fractions() != first_fractions_;
}

void Stretching::hand_on(Assembly& assembly, bool is_last) {
  if (given_up_) return;
  if (!std::exchange(handed_on_, true)) first_fractions_ = assembly.with_fractions();
  // Whether a repeated hour's records are the earlier or the later ones all of them tell together.
  given_up_ = !assembly.undecided.empty() || took_for_whole(assembly);
  if (given_up_) return;
  Records records = assembly.take_rows(head_);
  given_up_ = records.size() == 0 || std::ranges::any_of(records.values.columns(), may_be_booleans);
  if (given_up_) return;
  Places places;
  const Places::Run lines{0, 1};
  places.add_rows(0, 1, records.size(), {&lines, 1});
  records.places = std::make_shared<const Places>(std::move(places));
  const auto held_from = take_(records, is_last);
  given_up_ = !held_from;
  if (given_up_ || is_last) return;
  const auto rows = rows_held_back(records, *held_from);
  // Rows that come again and again would cost more than they bring.
  // And many strands want many rows: each has its own bucket to find.
  wanted_rows_ = rows.size() + std::max({least_rows_, rows.size(), 48 * held_from->size()});
  // Blocks of one size are used again.
  constexpr std::size_t block = std::size_t{1} << 18;
  assembly.hold_back(records, rows, (wanted_rows_ / block + 1) * block);
}

}  // namespace zerobeat::detail
