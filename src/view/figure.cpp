#include <fmt/format.h>

#include <zerobeat/view/figure.hpp>

namespace zerobeat::inline v1 {

void from_text(std::string_view text, Size& out) {
  const std::size_t cross = text.find('x');
  if (cross == std::string_view::npos)
    fail_usage("\"{}\" is not a size; write it like 1280x800", text);
  from_text(text.substr(0, cross), out.width);
  from_text(text.substr(cross + 1), out.height);
  constexpr int least = 100, most = 20'000;
  if (out.width < least || out.height < least || out.width > most || out.height > most) {
    fail_usage("\"{}\": width and height go from {} to {} pixels", text, least, most);
  }
}

std::string to_text(const Size& size) { return fmt::format("{}x{}", size.width, size.height); }

}  // namespace zerobeat
