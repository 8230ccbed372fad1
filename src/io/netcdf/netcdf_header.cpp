#include "io/netcdf/netcdf_header.hpp"

#include <algorithm>
#include <vector>

namespace zerobeat::inline v1::detail {

namespace {

class ClassicHeader {
 public:
  explicit ClassicHeader(std::string_view bytes) : bytes_(bytes) {}

  ClassicNetcdf look() {
    ClassicNetcdf found;
    if (!bytes_.starts_with("CDF") || bytes_.size() < 4) return found;
    version_ = bytes_[3];
    if (version_ != 1 && version_ != 2 && version_ != 5) return found;
    found.is_classic = true;
    at_ = 4;
    const std::uint64_t records = count();
    const bool streaming = records == (version_ == 5 ? ~std::uint64_t{0} : 0xffffffff);
    read_dimensions();
    read_attributes();
    read_variables();
    if (first_begin_ < at_) good_ = false;
    if (record_variables_ == 1) record_bytes_ = only_record_bytes_;  // not padded
    std::uint64_t end = fixed_end_;
    if (record_variables_ > 0 && records > 0 && !streaming) {
      // The last record of the last variable may lack its padding.
      constexpr std::uint64_t padding = 3;
      const std::uint64_t all = sum(first_record_, product(records, record_bytes_));
      end = std::max(end, all > padding ? all - padding : 0);
    }
    if (!good_) {
      found.damaged_at = at_;
    } else if (!streaming) {
      found.size = end;
    }
    return found;
  }

 private:
  std::uint64_t number(std::size_t width) {
    if (!good_ || at_ + width > bytes_.size()) {
      good_ = false;
      return 0;
    }
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < width; ++i) {
      value = value << 8 | static_cast<unsigned char>(bytes_[at_ + i]);
    }
    at_ += width;
    return value;
  }
  std::uint64_t count() { return number(version_ == 5 ? 8 : 4); }

  std::uint64_t sum(std::uint64_t a, std::uint64_t b) {
    std::uint64_t out = 0;
    if (__builtin_add_overflow(a, b, &out)) good_ = false;
    return out;
  }
  std::uint64_t product(std::uint64_t a, std::uint64_t b) {
    std::uint64_t out = 0;
    if (__builtin_mul_overflow(a, b, &out)) good_ = false;
    return out;
  }

  void pass(std::uint64_t size) {
    size = sum(size, 3) / 4 * 4;
    if (!good_ || size > bytes_.size() || at_ + size > bytes_.size()) {
      good_ = false;
      return;
    }
    at_ += static_cast<std::size_t>(size);
  }
  void pass_name() { pass(count()); }

  /// The bytes of a value of a type.
  std::uint64_t width() {
    constexpr std::uint64_t widths[] = {0, 1, 1, 2, 4, 4, 8, 1, 2, 4, 8, 8};
    const std::uint64_t type = number(4), types = version_ == 5 ? 12 : 7;
    if (type == 0 || type >= types) good_ = false;
    return good_ ? widths[type] : 0;
  }

  /// How many there are in a list of a kind.
  std::uint64_t elements(std::uint64_t tag) {
    const std::uint64_t own = number(4);
    const std::uint64_t n = count();
    if ((own != tag && (own != 0 || n != 0)) || n > bytes_.size()) good_ = false;
    return good_ ? n : 0;
  }

  void read_dimensions() {
    const std::uint64_t n = elements(10);
    for (std::uint64_t i = 0; i < n && good_; ++i) {
      pass_name();
      lengths_.push_back(count());
    }
  }

  void read_attributes() {
    const std::uint64_t n = elements(12);
    for (std::uint64_t i = 0; i < n && good_; ++i) {
      pass_name();
      const std::uint64_t own = width();
      pass(product(count(), own));
    }
  }

  void read_variables() {
    const std::uint64_t n = elements(11);
    for (std::uint64_t i = 0; i < n && good_; ++i) {
      pass_name();
      const std::uint64_t dimensions = count();
      bool is_record = false;
      std::uint64_t values = 1;
      for (std::uint64_t d = 0; d < dimensions && good_; ++d) {
        const std::uint64_t which = count();
        if (which >= lengths_.size()) {
          good_ = false;
          return;
        }
        const std::uint64_t length = lengths_[static_cast<std::size_t>(which)];
        is_record |= d == 0 && length == 0;
        if (length > 0) values = product(values, length);
      }
      read_attributes();
      const std::uint64_t size = product(values, width());
      count();  // the size again, which of large variables is not told
      const std::uint64_t begin = number(version_ == 1 ? 4 : 8);
      first_begin_ = std::min(first_begin_, begin);
      if (is_record) {
        first_record_ = record_variables_ == 0 ? begin : std::min(first_record_, begin);
        ++record_variables_;
        record_bytes_ = sum(record_bytes_, sum(size, 3) / 4 * 4);
        only_record_bytes_ = size;
      } else {
        fixed_end_ = std::max(fixed_end_, sum(begin, size));
      }
    }
  }

  std::string_view bytes_;
  std::size_t at_ = 0;
  char version_ = 1;
  bool good_ = true;
  std::vector<std::uint64_t> lengths_;
  std::uint64_t fixed_end_ = 0, first_record_ = 0;
  std::uint64_t first_begin_ = ~std::uint64_t{0};
  std::uint64_t record_bytes_ = 0, only_record_bytes_ = 0, record_variables_ = 0;
};

}  // namespace

ClassicNetcdf look_at_classic_netcdf(std::string_view bytes) { return ClassicHeader(bytes).look(); }

}  // namespace zerobeat::detail
