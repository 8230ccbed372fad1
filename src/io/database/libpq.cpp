#include "io/database/libpq.hpp"

#include "io/source/loaded_library.hpp"

namespace zerobeat::inline v1::detail {

const Libpq& libpq() {
  static const Libpq functions = [] {
    const LoadedLibrary library(ZEROBEAT_LIBPQ, "libpq5");
    Libpq own;
    library.find("PQclear", own.PQclear);
    library.find("PQconnectdbParams", own.PQconnectdbParams);
    library.find("PQdescribePrepared", own.PQdescribePrepared);
    library.find("PQerrorMessage", own.PQerrorMessage);
    library.find("PQexec", own.PQexec);
    library.find("PQexecParams", own.PQexecParams);
    library.find("PQfinish", own.PQfinish);
    library.find("PQfname", own.PQfname);
    library.find("PQfreemem", own.PQfreemem);
    library.find("PQftype", own.PQftype);
    library.find("PQgetCopyData", own.PQgetCopyData);
    library.find("PQgetResult", own.PQgetResult);
    library.find("PQgetvalue", own.PQgetvalue);
    library.find("PQnfields", own.PQnfields);
    library.find("PQntuples", own.PQntuples);
    library.find("PQprepare", own.PQprepare);
    library.find("PQputCopyData", own.PQputCopyData);
    library.find("PQputCopyEnd", own.PQputCopyEnd);
    library.find("PQresultStatus", own.PQresultStatus);
    library.find("PQsetNoticeProcessor", own.PQsetNoticeProcessor);
    library.find("PQstatus", own.PQstatus);
    return own;
  }();
  return functions;
}

}  // namespace zerobeat::detail
