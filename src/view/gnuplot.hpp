/// gnuplot, driven through a pipe, and how its pictures look here.

#pragma once

#include <iterator>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/view/figure.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr const char* inks[] = {"#12678a", "#c2502c", "#6f8f2f", "#7b4f9d",
                                       "#b8860b", "#2f8f7f", "#a23b63", "#4a5a6a"};
inline constexpr const char* pale_ink = "#a9bac4";
inline constexpr const char* text_ink = "#333c44";

/// The ink of the n-th line.
inline const char* ink(std::size_t n) { return inks[n % std::size(inks)]; }

/// Text as gnuplot's double-quoted string.
std::string in_quotes(std::string_view text);

/// Borders, ticks and grid of every picture.
std::string plain_frame();

/// The command that lays out so many panels.
std::string layout_of(std::size_t panels);

/// What a figure is called and says, for those who can't see it.
struct Caption {
  std::string title;
  std::string description;
};

/// Whether a path ends in .svg. Throws Error of kind usage when it ends in neither .svg nor .png.
bool is_svg(const std::string& path);

/// Runs `script`, which draws what it does into the figure that `path` names by its ending, and
/// writes the figure, once it is whole. Throws Error of kind usage when the ending is neither .png
/// nor .svg, of kind output when gnuplot is not there or fails.
void draw(const std::string& script, const Caption& caption, const Size& size, Output& output,
          const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
