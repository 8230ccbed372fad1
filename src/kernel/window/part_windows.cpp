#include "kernel/window/part_windows.hpp"

namespace zerobeat::inline v1::detail {

PartWindows::PartWindows(const Timeline& timeline, const WindowPart& part, const Extent& window,
                         Place place)
    : timeline_(timeline),
      part_(part),
      strand_(timeline.strands()[part.strand]),
      window_(window),
      place_(place),
      times_(timeline.times().subspan(strand_.begin, strand_.size())),
      rows_(window_rows(times_, window, place, timeline.zone(), part.from, part.until)) {
  const auto add = [&](std::size_t from, std::size_t until) {
    runs_.push_back({from, until});
    stretches_.push_back(stretches_of(rows_.span().subspan(from, until - from)));
  };
  // Only where clocks change may they go back.
  if (window.in_rows() || window.period.is_fixed()) {
    add(0, rows_.size());
  } else {
    over_ascending(rows_.span(), add);
  }
}

const WindowReadings& PartWindows::readings(const std::string& name, const std::string& with,
                                            bool compact) {
  auto& known = readings_[{name, with, compact}];
  if (known) return *known;
  const Column& column = timeline_.values().column(name);
  const Column* other = with.empty() ? nullptr : &timeline_.values().column(with);
  known = std::make_unique<WindowReadings>(WindowReadings{
      .dense = DenseWindows(column.validity(), strand_.begin, strand_.size(), rows_.span(),
                            other != nullptr ? &other->validity() : nullptr, compact)});
  const auto numbers_of = [&](const Column& readings, Buffer<double>& room) {
    if (readings.type() == Column::Type::number) {
      return known->dense.of(readings.numbers().subspan(strand_.begin, strand_.size()), room);
    }
    room.resize(known->dense.size());
    for (std::size_t i = 0; i < room.size(); ++i) {
      room[i] = static_cast<double>(readings.integers()[strand_.begin + known->dense.row(i)]);
    }
    return room.span();
  };
  if (column.is_numeric()) known->numbers = numbers_of(column, known->room);
  if (other != nullptr) known->others = numbers_of(*other, known->others_room);
  for (const auto& stretch : stretches_) known->stretches.push_back(known->dense.dense(stretch));
  return *known;
}

std::vector<TimeEdges> PartWindows::edges() const {
  const WindowEdges edges(window_.period, place_, timeline_.zone());
  std::vector<TimeEdges> out;
  out.reserve(size());
  for (std::size_t i = part_.from; i < part_.until; ++i) {
    out.push_back({edges.low(times_[i]), edges.high(times_[i])});
  }
  return out;
}

}  // namespace zerobeat::detail
