/// PostgreSQL's client library, loaded at the first call: with what it stands on it would take most
/// of the time that a program needs to start.

#pragma once

#include <libpq-fe.h>

#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Libpq {
  decltype(&::PQclear) PQclear;
  decltype(&::PQconnectdbParams) PQconnectdbParams;
  decltype(&::PQdescribePrepared) PQdescribePrepared;
  decltype(&::PQerrorMessage) PQerrorMessage;
  decltype(&::PQexec) PQexec;
  decltype(&::PQexecParams) PQexecParams;
  decltype(&::PQfinish) PQfinish;
  decltype(&::PQfname) PQfname;
  decltype(&::PQfreemem) PQfreemem;
  decltype(&::PQftype) PQftype;
  decltype(&::PQgetCopyData) PQgetCopyData;
  decltype(&::PQgetResult) PQgetResult;
  decltype(&::PQgetvalue) PQgetvalue;
  decltype(&::PQnfields) PQnfields;
  decltype(&::PQntuples) PQntuples;
  decltype(&::PQprepare) PQprepare;
  decltype(&::PQputCopyData) PQputCopyData;
  decltype(&::PQputCopyEnd) PQputCopyEnd;
  decltype(&::PQresultStatus) PQresultStatus;
  decltype(&::PQsetNoticeProcessor) PQsetNoticeProcessor;
  decltype(&::PQstatus) PQstatus;
};

/// Its functions. Throws InputError when it can't be loaded. Any thread may call it.
const Libpq& libpq();

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
