#include "io/database/postgres_handle.hpp"

#include <algorithm>
#include <zerobeat/base/error.hpp>

namespace zerobeat::inline v1::detail {

std::string postgres_message(const PGconn* connection) {
  std::string text = libpq().PQerrorMessage(connection);
  while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
  std::ranges::replace(text, '\n', ' ');
  std::erase(text, '\t');
  if (text.starts_with("ERROR:  ")) text.erase(0, 8);
  return text;
}

PostgresConnection connect_postgres(const std::string& address, std::string& why) {
  const char* const names[] = {"dbname", "client_encoding", "fallback_application_name", nullptr};
  const char* const values[] = {address.c_str(), "UTF8", "zerobeat", nullptr};
  constexpr int dbname_is_an_address = 1;
  try {
    libpq();
  } catch (const Error& error) {
    why = error.what();
    return nullptr;
  }
  PostgresConnection connection(libpq().PQconnectdbParams(names, values, dbname_is_an_address));
  if (connection == nullptr || libpq().PQstatus(connection.get()) != CONNECTION_OK) {
    why = connection == nullptr ? "there is no memory" : postgres_message(connection.get());
    return nullptr;
  }
  // Notices would go to standard error.
  libpq().PQsetNoticeProcessor(
      connection.get(), [](void*, const char*) {}, nullptr);
  return connection;
}

}  // namespace zerobeat::detail
