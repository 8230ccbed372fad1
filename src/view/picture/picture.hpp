/// What a picture is asked to draw, and what comes of it.

#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/view/figure.hpp>

#include "view/drawing/drawing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct PictureTask {
  std::span<const Timeline> timelines{};  ///< over one axis
  const Timeline* over = nullptr;         ///< laid over them
  const Table* table = nullptr;           ///< the result, when it is one
  const Material* material = nullptr;     ///< what the step handed on
  std::span<const Material> more{};       ///< what it did of further results
  const Figure& look;                     ///< its size is that of what is drawn on
};

struct DrawnPicture {
  Drawing drawing{};
  std::vector<std::string> notes{};  ///< what could not be drawn
};

/// An empty frame that says why, and a note of it.
DrawnPicture nothing_to_draw(const std::string& why);

/// A picture: which step's result it draws, and which options go with it besides those that go with
/// every one (title, subtitle, names, size and scale).
struct PictureKind {
  std::string_view made_by;
  std::string_view looks;  ///< names with spaces between
  DrawnPicture (*draw)(const PictureTask& task);
  bool of_several = false;  ///< several results of the step go into one picture
};

/// The picture of what a step of that name made, when it handed something on to be drawn; else that
/// of lines.
const PictureKind& picture_of(std::string_view made_by, bool has_material);

/// Throws Error of kind usage naming the first option that does not go with the picture.
void check_looks(const PictureKind& kind, const Figure& look);

/// What a column is called in a picture.
std::string shown_name(const Figure& look, const std::string& column);
/// The same for an axis: with its unit, where its name tells one.
std::string axis_name(const Figure& look, const std::string& column);

/// Rows of panels: in one column, of more than three in two.
std::vector<PanelRow> rows_of(std::vector<Panel> panels);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
