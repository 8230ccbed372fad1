/// What a picture of lines shows: which columns of which strands, in which panels, over which span,
/// and what is marked and shaded among them. How it is drawn is no matter here.

#pragma once

#include <deque>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/figure.hpp>

#include "view/picture/changes.hpp"
#include "view/picture/line.hpp"
#include "view/picture/shades.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct PictureLines {
  struct PanelLines {
    std::string title;
    std::vector<std::size_t> lines;
  };

  /// Throws Error of kind usage when there is no place for it.
  PictureLines(std::span<const Timeline> timelines, const Timeline* laid_over,
               const Figure& figure);

  const Figure& look;
  std::deque<std::vector<Timeline>> by_level;
  std::vector<const Timeline*> all;
  std::size_t files = 1;
  const Timeline* over = nullptr;
  Zone zone;
  Axis axis{};
  std::vector<Line> lines;
  std::vector<DrawnLine> drawn;
  std::vector<PanelLines> panels;  ///< none when there is nothing to draw
  std::vector<std::string> notes;
  std::string nothing;           ///< why there is nothing to draw
  std::vector<std::string> raw;  ///< columns whose smoothed ones are in the picture
  Canvas canvas;
  Shades spells;
  ChangedReadings changed;
  Range kept_range;                       ///< of the left axis, what was changed left out
  std::vector<std::vector<Point>> marks;  ///< of each line

 private:
  void check_names() const;
  void check_heights() const;
  std::vector<std::string> own_names(const Timeline& timeline) const;
  void add_lines(const Timeline& timeline);
  bool find_span();
  void cut_to_range();
  bool cut_at_zero();
  void find_raw();
  void find_changes();
  bool note_what_is_lost();
  std::vector<PanelLines> find_panels();
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
