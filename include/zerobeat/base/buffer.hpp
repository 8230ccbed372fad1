/// Buffers: memory for columns, aligned and cheap to grow.
///
/// A buffer is 64-byte aligned and does not initialise what it holds. Large ones
/// are mapped, so that growing them moves page tables, not bytes, and what is
/// reserved but never written takes no memory. A thread keeps the last four blocks of
/// up to 8 MiB that it let go, for the next ones of their sizes.

#pragma once

#include <cstddef>
#include <cstring>
#include <span>
#include <type_traits>
#include <utility>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

namespace detail {

/// Memory for at least `bytes`; null for none. Throws std::bad_alloc.
void* allocate_block(std::size_t bytes);
/// The block with its first `used` bytes kept, moved if need be.
void* grow_block(void* block, std::size_t used, std::size_t old_bytes, std::size_t new_bytes);
void free_block(void* block, std::size_t bytes);

}  // namespace detail

/// A growing array of plain values, moved and never copied by accident.
template <typename T>
class Buffer {
  static_assert(std::is_trivially_copyable_v<T>);

 public:
  Buffer() = default;
  explicit Buffer(std::size_t size) { resize(size); }
  Buffer(std::size_t size, const T& value) : Buffer(size) {
    for (T& held : *this) held = value;
  }
  explicit Buffer(std::span<const T> values) : Buffer(values.size()) {
    if (!values.empty()) {
      std::memcpy(static_cast<void*>(data_), values.data(), values.size_bytes());
    }
  }
  Buffer(Buffer&& other) noexcept
      : data_(std::exchange(other.data_, nullptr)),
        size_(std::exchange(other.size_, 0)),
        capacity_(std::exchange(other.capacity_, 0)) {}
  Buffer& operator=(Buffer&& other) noexcept {
    std::swap(data_, other.data_);
    std::swap(size_, other.size_);
    std::swap(capacity_, other.capacity_);
    return *this;
  }
  ~Buffer() {
    if (data_ != nullptr) detail::free_block(data_, capacity_ * sizeof(T));
  }

  T* data() { return data_; }
  [[nodiscard]] const T* data() const { return data_; }
  [[nodiscard]] std::size_t size() const { return size_; }
  [[nodiscard]] bool empty() const { return size_ == 0; }
  T* begin() { return data_; }
  T* end() { return data_ + size_; }
  [[nodiscard]] const T* begin() const { return data_; }
  [[nodiscard]] const T* end() const { return data_ + size_; }
  T& operator[](std::size_t i) { return data_[i]; }
  const T& operator[](std::size_t i) const { return data_[i]; }
  T& back() { return data_[size_ - 1]; }
  [[nodiscard]] std::span<const T> span() const { return {data_, size_}; }

  void reserve(std::size_t capacity) {
    if (capacity <= capacity_) return;
    data_ = static_cast<T*>(
        detail::grow_block(data_, size_ * sizeof(T), capacity_ * sizeof(T), capacity * sizeof(T)));
    capacity_ = capacity;
  }
  /// New values are whatever the memory held.
  void resize(std::size_t size) {
    const std::size_t half_more = capacity_ + capacity_ / 2;
    if (size > capacity_) reserve(size > half_more ? size : half_more);
    size_ = size;
  }
  void push_back(const T& value) {
    const T copy = value;  // it may be one of these, which move when they grow
    resize(size_ + 1);
    data_[size_ - 1] = copy;
  }
  void append(std::span<const T> values) {
    if (values.empty()) return;
    resize(size_ + values.size());
    std::memcpy(static_cast<void*>(data_ + size_ - values.size()), values.data(),
                values.size_bytes());
  }
  void clear() { size_ = 0; }

  /// The same memory as values of another type of the same size.
  template <typename Other>
  Buffer<Other> retyped() && {
    static_assert(sizeof(Other) == sizeof(T) && alignof(Other) <= 64);
    Buffer<Other> other;
    other.data_ = reinterpret_cast<Other*>(std::exchange(data_, nullptr));
    other.size_ = std::exchange(size_, 0);
    other.capacity_ = std::exchange(capacity_, 0);
    return other;
  }

 private:
  template <typename Other>
  friend class Buffer;

  T* data_ = nullptr;
  std::size_t size_ = 0;
  std::size_t capacity_ = 0;
};

}  // namespace v1
}  // namespace zerobeat
