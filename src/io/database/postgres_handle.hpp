/// A connection to a PostgreSQL database and its results, let go of when they are done with.

#pragma once

#include <algorithm>
#include <memory>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/source_name.hpp>

#include "io/database/libpq.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct PostgresFinish {
  void operator()(PGconn* connection) const { libpq().PQfinish(connection); }
};
struct PostgresClear {
  void operator()(PGresult* result) const { libpq().PQclear(result); }
};
using PostgresConnection = std::unique_ptr<PGconn, PostgresFinish>;
using PostgresResult = std::unique_ptr<PGresult, PostgresClear>;

/// Connects, as libpq does: what the address leaves out comes from the environment and the service
/// and password files. Returns null and says why in `why` when it can't.
PostgresConnection connect_postgres(const std::string& address, std::string& why);

/// What the server said, on one line.
std::string postgres_message(const PGconn* connection);

/// Types by their numbers in the catalogue (pg_type.dat).
namespace postgres_type {
inline constexpr unsigned boolean = 16, name = 19, int8 = 20, int2 = 21, int4 = 23, text = 25,
                          oid = 26, float4 = 700, float8 = 701, bpchar = 1042, varchar = 1043,
                          date = 1082, time = 1083, timestamp = 1114, timestamptz = 1184,
                          numeric = 1700, uuid = 2950;
}

/// The first instant that the server counts from, 2000-01-01, in microseconds since 1970.
inline constexpr std::int64_t postgres_epoch_us = 946'684'800'000'000;

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
