// Every door: archives, databases and other formats, in and out, through the tool.

#include <fmt/format.h>

#include <algorithm>
#include <random>

#include "support/tool.hpp"

namespace zerobeat::testing::doors {

namespace {

std::string tide() {
  std::string text = "observed_at,probe,level_m,open\n";
  for (int i = 0; i < 500; ++i) {
    text += fmt::format("2025-10-25T{:02}:{:02}:{:02}.{:03}Z,p{},{},{}\n", i / 60, i % 60, i % 7,
                        i % 3 * 125, i % 2, i % 10 == 3 ? "" : fmt::format("{}", 3 + i * 0.125),
                        i % 4 == 0 ? "true" : "false");
  }
  return text;
}

/// Runs a shell's words in the bench's folder.
void shell(const Bench& bench, const std::string& words) {
  INFO(words);
  REQUIRE(std::system(("cd '" + bench.folder().string() + "' && " + words).c_str()) == 0);
}

/// A PostgreSQL server of this test's own.
class Server {
 public:
  Server() : folder_(fs::temp_directory_path() / fmt::format("zerobeat_pg.{}", getpid())) {
    REQUIRE(run("start") == 0);
  }
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;
  ~Server() {
    run("stop");
    fs::remove_all(folder_);
    fs::remove(folder_.string() + ".log");
  }

  std::string address() const {
    return "'postgresql://harbour:secret@/postgres?host=" + folder_.string() + "'";
  }
  void sql(const std::string& text) const {
    const std::string command =
        "psql -q -v ON_ERROR_STOP=1 " + address() + " -c \"" + text + "\" >/dev/null 2>&1";
    INFO(text);
    REQUIRE(std::system(command.c_str()) == 0);
  }

 private:
  int run(const std::string& what) const {
    const std::string script = std::string(ZEROBEAT_SOURCE) + "/tests/support/postgres";
    return std::system(("'" + script + "' " + what + " '" + folder_.string() + "'").c_str());
  }
  fs::path folder_;
};

}  // namespace

TEST_CASE("what goes out of a door comes in again the same", "[doors]") {
  const Bench bench;
  bench.put("tide.csv", tide());
  const std::string plain = bench.run("settle tide.csv --key probe").out;
  for (const char* name : {"o.csv", "o.tsv", "o.jsonl", "o.ndjson", "o.arrow", "o.sqlite", "o.db",
                           "o.csv.gz", "o.csv.zst", "o.jsonl.gz", "o.arrow.zst", "o.TSV.GZ"}) {
    INFO(name);
    const Result out = bench.run(std::string("settle tide.csv --key probe --quiet -o ") + name);
    INFO(out.err);
    REQUIRE(out.exit == 0);
    const std::string boolean = std::string(name) == "o.sqlite" || std::string(name) == "o.db"
                                    ? " + compute --set 'open=open = 1'"
                                    : "";
    const Result in = bench.run(std::string("settle --key probe ") + name + boolean);
    INFO(in.err);
    CHECK(in.out == plain);
    // The same bytes on every run.
    const std::string first = bench.get(name);
    fs::remove(bench.folder() / name);
    bench.run(std::string("settle tide.csv --key probe --quiet -o ") + name);
    CHECK(bench.get(name) == first);
  }
  CHECK(bench.run("settle --key probe -", bench.get("o.arrow")).out == plain);
  CHECK(bench.run("settle --key probe -", bench.get("o.csv")).out == plain);
  bench.put("stream", bench.run("settle tide.csv --key probe --to arrow").out);
  CHECK(bench.get("stream").starts_with("\xff\xff\xff\xff"));
  CHECK(bench.run("settle --key probe stream").out == plain);
}

TEST_CASE("what is taken of one column is the same, whatever stands beside it", "[doors]") {
  const Bench bench;
  std::string text = "observed_at,probe,level_m,note,turns,open\n";
  for (int i = 0; i < 40'000; ++i) {
    text += fmt::format("{},p{},{},{},{},{}\n", 1'760'000'000 + 60 * i, i % 3,
                        i % 50 == 7 ? "" : fmt::format("{}", i % 700 * 0.25),
                        i % 9 == 0 ? "" : "at the quay", i, i % 2 == 0 ? "true" : "false");
  }
  bench.put("many.csv", text);
  for (const char* name : {"many.arrow", "many.sqlite", "many.jsonl"}) {
    REQUIRE(bench.run(std::string("settle many.csv --key probe --quiet -o ") + name).exit == 0);
  }
  for (const char* take : {"mean(level_m)", "sum(turns)", "last(note)", "count()"}) {
    for (const char* key : {"", "--key probe "}) {
      const std::string words =
          fmt::format("--every 1h --take '{}' {}--time observed_at ", take, key);
      const std::string plain = bench.run("resample many.csv " + words).out;
      REQUIRE(plain.size() > 1'000);
      for (const char* name : {"many.arrow", "many.sqlite", "many.jsonl"}) {
        INFO(name << " " << words);
        const Result result = bench.run(fmt::format("resample {} {}", name, words));
        INFO(result.err);
        CHECK(result.out == plain);
      }
    }
  }
}

TEST_CASE("compressed files and archives are read, and damage is exit 3", "[doors]") {
  const Bench bench;
  bench.put("tide.csv", tide());
  const std::string plain = bench.run("settle tide.csv").out;
  shell(bench,
        "gzip -k tide.csv && xz -k tide.csv && bzip2 -k tide.csv && zstd -q -k tide.csv && "
        "tar cf one.tar tide.csv && tar czf one.tgz tide.csv && "
        "cat tide.csv.gz tide.csv.gz > twice.gz");
  for (const char* name :
       {"tide.csv.gz", "tide.csv.xz", "tide.csv.bz2", "tide.csv.zst", "one.tar", "one.tgz"}) {
    INFO(name);
    CHECK(bench.run(std::string("settle ") + name).out == plain);
    const std::string bytes = bench.get(name);
    for (const std::size_t size : {bytes.size() / 3, bytes.size() * 2 / 3}) {
      bench.put("cut", bytes.substr(0, size));
      const Result cut = bench.run("settle cut --tolerate 100%");
      INFO(size << ": " << cut.err);
      // An archive may end in blocks that hold nothing.
      if (cut.exit == 0) CHECK(cut.out == plain);
      if (cut.exit != 0) CHECK((cut.exit == 3 && cut.out.empty()));
    }
    if (std::string(name) == "one.tar") continue;  // has no checksum of what is in it
    std::string changed = bytes;
    changed[bytes.size() / 2] = static_cast<char>(changed[bytes.size() / 2] ^ 0x10);
    bench.put("flip", changed);
    CHECK(bench.run("settle flip --tolerate 100%").exit == 3);
  }
  CHECK(bench.run("check twice.gz --quiet --tolerate 1").exit == 0);
  bench.put("trailing.gz", bench.get("tide.csv.gz") + "tail");
  CHECK(bench.run("settle trailing.gz").exit == 3);
}

TEST_CASE("members of an archive are chosen, and several are one source", "[doors]") {
  const Bench bench;
  bench.put("b.csv", "time,x\n2025-01-02,2\nsoon,2\n");
  bench.put("a.csv", "time,x\n2025-01-01,1\n");
  bench.put("c.txt", "nothing");
  shell(bench,
        "tar cf all.tar b.csv a.csv c.txt && tar czf all.tgz b.csv a.csv c.txt && zip -q "
        "all.zip b.csv a.csv c.txt");
  for (const char* name : {"all.tgz", "all.zip"}) {
    INFO(name);
    CHECK(bench.run(std::string("settle --tolerate 1 --member '?.csv' ") + name).out ==
          "time,x\n2025-01-01T00:00:00Z,1\n2025-01-02T00:00:00Z,2\n");
    std::string changed = bench.get(name);
    // What is so short stands in a zip as it is; its checksum is of that alone.
    const std::size_t stored = changed.find("2025-01");
    const std::size_t at = stored != std::string::npos ? stored : changed.size() / 2;
    changed[at] = static_cast<char>(changed[at] ^ 1);
    bench.put("flip", changed);
    CHECK(bench.run("settle flip --tolerate 1 --member '?.csv'").exit == 3);
  }
  const Result none = bench.run("settle all.tar");
  CHECK(none.exit == 2);
  CHECK_THAT(none.err, Catch::Contains("b.csv") && Catch::Contains("--member"));
  CHECK(bench.run("settle all.tar --member d.csv").exit == 2);
  CHECK(bench.run("settle all.tar --member a.csv").out == "time,x\n2025-01-01T00:00:00Z,1\n");
  const Result both = bench.run("settle all.tar --member '*.csv' --rejects r.csv --account a.json");
  CHECK(both.out == "time,x\n2025-01-01T00:00:00Z,1\n2025-01-02T00:00:00Z,2\n");
  CHECK(
      bench.get("r.csv") ==
      "source,line,byte,column,reason,text\nall.tar:b.csv,3,20,time,unreadable-time,\"soon,2\"\n");
  CHECK_THAT(bench.get("a.json"), Catch::Contains("all.tar:a.csv"));
  CHECK(bench.run("settle a.csv --member a.csv").exit == 2);
}

TEST_CASE("a pattern is one source in commands and plans", "[doors]") {
  const Bench bench;
  for (int day = 1; day <= 12; ++day) {
    bench.put(fmt::format("d-{:02}.csv", day),
              fmt::format("time,x\n2025-01-{:02}T00:00:00Z,{}\n", day, day));
  }
  const std::string all = bench.run("settle 'd-*.csv'").out;
  CHECK(std::count(all.begin(), all.end(), '\n') == 13);
  CHECK(bench.run("settle 'd-*.csv' --threads 2").out == all);
  CHECK(bench.run("settle 'e-*.csv'").exit == 3);
  CHECK(bench.run("settle 'd-*.csv' -o d-03.csv").exit == 2);
  bench.put("plan.toml",
            "[source.days]\nfile = [\"d-02.csv\", \"d-01.csv\"]\n[output.o]\nfrom = \"days\"\n"
            "file = \"o.csv\"\n");
  CHECK(bench.run("run plan.toml --quiet").exit == 0);
  CHECK(bench.get("o.csv") == "time,x\n2025-01-01T00:00:00Z,1\n2025-01-02T00:00:00Z,2\n");
  check_plan_of(bench, "settle 'd-*.csv'");
}

TEST_CASE("SQLite: tables and queries in, and places are rows", "[doors]") {
  const Bench bench;
  shell(bench,
        "sqlite3 h.db \"create table tide(t text, x); insert into tide values "
        "('2025-01-01',1),('2025-01-02',2.5),('soon',3),('2025-01-04','bad'),('2025-01-05',null),"
        "('2025-01-06',9007199254740993),('2025-01-06',5),('2025-01-07',4),('2025-01-08',4),('2025-"
        "01-09',4),"
        "('2025-01-10',4),('2025-01-11',4),('2025-01-12',4); create table other(a); "
        "create table b(t text, y blob); insert into b values ('2025-01-01', x'00ff')\"");
  const std::string before = bench.get("h.db");
  CHECK(bench.run("settle h.db").exit == 2);
  CHECK_THAT(bench.run("settle h.db").err, Catch::Contains("other"));
  CHECK(bench.run("settle h.db --table tid").exit == 2);
  CHECK(bench.run("settle h.db --table tide --query 'select 1'").exit == 2);
  const Result rows = bench.run("settle h.db --table tide --rejects r.csv");
  INFO(rows.err);
  CHECK(rows.exit == 0);
  CHECK_THAT(rows.out, Catch::Contains("2025-01-02T00:00:00Z,2.5\n"));
  CHECK(bench.get("r.csv") ==
        "line,byte,column,reason,text\n3,,t,unreadable-time,\"soon,3\"\n"
        "4,,x,unreadable-reading,bad\n");
  CHECK(bench.run("settle h.db --query 'select t, x from tide where x = 2.5;'").out ==
        "t,x\n2025-01-02T00:00:00Z,2.5\n");
  CHECK(bench.run("settle h.db --query 'delete from tide'").exit == 2);
  CHECK(bench.run("settle h.db --query 'select 1; select 2'").exit == 2);
  const Result blob = bench.run("settle h.db --table b");
  CHECK(blob.exit == 3);
  CHECK_THAT(blob.err, Catch::Contains("\"y\""));
  CHECK(bench.get("h.db") == before);
  bench.put("cut.db", before.substr(0, before.size() / 2));
  CHECK(bench.run("settle cut.db --table tide").exit == 3);
}

TEST_CASE("SQLite out is one transaction, all or nothing", "[doors]") {
  const Bench bench;
  bench.put("x.csv", "time,x\n2025-01-01,1\n");
  bench.put("y.csv", "time,y\n2025-01-01,1\n");
  CHECK(bench.run("settle x.csv -o o.db --into a").exit == 0);
  CHECK(bench.run("settle x.csv -o o.db --into b").exit == 0);
  CHECK(bench.run("settle x.csv -o o.db --into a").exit == 5);
  CHECK(bench.run("settle x.csv -o o.db --into a --if-exists append").exit == 0);
  const std::string before = bench.get("o.db");
  CHECK(bench.run("settle y.csv -o o.db --into a --if-exists append").exit == 5);
  CHECK(bench.get("o.db") == before);
  CHECK(bench.run("settle o.db --table a").out ==
        "time,x\n2025-01-01T00:00:00Z,1\n2025-01-01T00:00:00Z,1\n");
  CHECK(bench.run("settle y.csv -o o.db --into a --if-exists replace").exit == 0);
  CHECK(bench.run("settle o.db --table a").out == "time,y\n2025-01-01T00:00:00Z,1\n");
  CHECK(bench.run("settle x.csv -o o.db.gz").exit == 2);
  CHECK(bench.run("settle x.csv -o o.csv --into a").exit == 2);
  // A refusal leaves no new file, and nothing of the run's others.
  bench.put("plan.toml",
            "[source.x]\nfile = \"x.csv\"\n[output.csv]\nfrom = \"x\"\nfile = \"n.csv\"\n"
            "[output.db]\nfrom = \"x\"\nfile = \"o.db\"\ninto = \"a\"\n");
  CHECK(bench.run("run plan.toml").exit == 5);
  CHECK(!bench.has("n.csv"));
  for (const auto& name : bench.files()) CHECK(name.find(".zerobeat-") == std::string::npos);
}

namespace {

/// Names and texts that mean something in SQL, and are none of it.
const char* const sql_like =
    "time,\"a \"\"b\"\"\",select,x'y,note\n"
    "2025-10-25T01:00:00Z,1,2,3,\"'); drop table tide; --\"\n"
    "2025-10-25T02:00:00Z,4,5,6,a\\nb\n"
    "2025-10-25T03:00:00Z,,,,\\N\n"
    "2025-10-25T04:00:00Z,7,8,9,\n"
    "2025-10-25T05:00:00Z,7,8,9,\"two\nlines\tand a tab\"\n";

}  // namespace

TEST_CASE("names and texts are never a part of SQL", "[doors]") {
  const Bench bench;
  bench.put("odd.csv", sql_like);
  const std::string plain = bench.run("settle odd.csv").out;
  REQUIRE(plain.size() > 150);
  const Server server;
  for (const std::string table : {"tide", "\"; drop table tide; --", "Tide's", "select"}) {
    for (const std::string& to : {std::string("o.db"), server.address()}) {
      bench.put("words", table);
      INFO(table << " into " << to);
      const std::string into = "\"$(cat words)\"";
      const Result out = bench.run("settle odd.csv --into " + into + " -o " + to);
      INFO(out.err);
      REQUIRE(out.exit == 0);
      const Result in = bench.run("settle " + to + " --table " + into);
      INFO(in.err);
      CHECK(in.out == plain);
      CHECK(bench.run("settle " + to + " --table tide").out == plain);
      const Result more =
          bench.run("settle odd.csv --if-exists append --into " + into + " -o " + to);
      INFO(more.err);
      CHECK(more.exit == 0);
      CHECK(bench.run("settle odd.csv --if-exists replace --into " + into + " -o " + to).exit == 0);
    }
  }
}

TEST_CASE("PostgreSQL in and out, with a server of the test's own", "[doors]") {
  const Server server;
  const Bench bench;
  bench.put("tide.csv", tide());
  const std::string plain = bench.run("settle tide.csv --key probe").out;
  const std::string to = " -o " + server.address();
  const Result out = bench.run("settle tide.csv --key probe --into tide" + to);
  INFO(out.err);
  REQUIRE(out.exit == 0);
  CHECK(bench.run("settle --key probe " + server.address()).out == plain);
  const Result again = bench.run("settle tide.csv --key probe --into tide" + to);
  CHECK(again.exit == 5);
  CHECK(again.err.find("secret") == std::string::npos);
  CHECK(bench.run("settle tide.csv --key probe --into tide --if-exists append" + to).exit == 0);
  CHECK(bench.run("settle tide.csv --into tide --if-exists append" + to).exit == 0);
  CHECK(bench.run("settle tide.csv --columns level_m --into tide --if-exists append" + to).exit ==
        5);
  CHECK(bench.run("settle tide.csv --key probe --into tide --if-exists replace" + to).exit == 0);
  CHECK(bench.run("settle tide.csv --into no.tide" + to).exit == 5);
  CHECK(bench.run("settle tide.csv" + to).exit == 2);

  server.sql(
      "create table odd (id int, t timestamp, d date, n numeric(12,4), r real, k text);"
      "insert into odd select i, timestamp '2025-10-26 00:30' + i * interval '10 min', "
      "date '2025-10-20' + i, i * 1.25 - 3, i / 4.0, case when i % 3 = 0 then null else "
      "'k' || i end from generate_series(1, 4) i;"
      "insert into odd values (99, 'infinity')");
  const Result odd =
      bench.run("settle " + server.address() +
                " --table odd --zone Europe/Dublin --repeated earlier --rejects r.csv"
                " --columns n,r,k,d");
  INFO(odd.err);
  CHECK(odd.out ==
        "t,d,n,r,k\n2025-10-25T23:40:00Z,2025-10-21,-1.75,0.25,k1\n"
        "2025-10-25T23:50:00Z,2025-10-22,-0.5,0.5,k2\n2025-10-26T00:00:00Z,2025-10-23,0.75,0.75,\n"
        "2025-10-26T00:10:00Z,2025-10-24,2,1,k4\n");
  CHECK_THAT(bench.get("r.csv"), Catch::Contains("5,,t,out-of-range-time"));
  const Result asked = bench.run("settle " + server.address() +
                                 " --query 'select t, id from odd where id < 3 -- two' --account "
                                 "a.json --as-plan p.toml -o p.csv");
  INFO(asked.err);
  CHECK(asked.exit == 0);
  for (const char* name : {"a.json", "p.toml"}) {
    INFO(bench.get(name));
    CHECK(bench.get(name).find("secret") == std::string::npos);
  }
  CHECK(bench.run("settle " + server.address() + " --query 'delete from odd'").exit == 2);
  CHECK(bench.run("settle " + server.address() + " --table no").exit == 2);
  server.sql("create table j (t timestamptz, x jsonb)");
  CHECK_THAT(bench.run("settle " + server.address() + " --table j").err,
             Catch::Contains("\"x\" is of type jsonb"));
  const std::string fine = "time,x\n2025-01-01T00:00:00.123456789Z,1\n";
  CHECK(bench.run("settle - --into fine" + to, fine).exit == 2);
  CHECK(bench.run("settle - --into fine --precision us" + to, fine).exit == 0);
  CHECK(bench.run("settle 'postgresql://quay:secret@/no?host=/nowhere'").exit == 3);
}

TEST_CASE("NetCDF: the nearest cell along time", "[doors]") {
  const Bench bench;
  bench.put(
      "g.cdl",
      "netcdf g { dimensions: time = UNLIMITED; lat = 2; lon = 3; depth = 2; variables: "
      "double time(time); time:units = \"hours since 2025-10-25 22:00:00\"; float lat(lat); "
      "lat:units = \"degrees_north\"; float lon(lon); lon:units = \"degrees_east\"; short "
      "sst(time, depth, lat, lon); sst:scale_factor = 0.01; sst:add_offset = 10.; "
      "sst:_FillValue = -32768s; int n(time); data: time = 0, 1, 2.5; lat = 52, 53; lon = -8, "
      "-7, -6; sst = 0,1,2,3,4,5, 10,11,12,13,14,15, 100,101,102,103,104,-32768, "
      "0,0,0,0,0,0, 200,201,202,203,204,205, 0,0,0,0,0,0; n = 1, 2, 3; }");
  shell(bench, "ncgen -o g.nc g.cdl && ncgen -4 -o g4.nc g.cdl && gzip -k g.nc");
  const std::string cell =
      "time,sst\n2025-10-25T22:00:00Z,10.05\n2025-10-25T23:00:00Z,\n2025-10-26T00:30:00Z,12.05\n";
  for (const char* name : {"g.nc", "g4.nc", "g.nc.gz"}) {
    const Result near = bench.run(std::string("settle --variable sst --near 53.3,-6.2 --slice "
                                              "depth=0 ") +
                                  name);
    INFO(name << near.err);
    CHECK(near.out == cell);
    CHECK_THAT(near.err, Catch::Contains("53,-6, 35.9"));
  }
  CHECK(bench.run("settle g.nc --variable n").out ==
        "time,n\n2025-10-25T22:00:00Z,1\n2025-10-25T23:00:00Z,2\n2025-10-26T00:30:00Z,3\n");
  // A damaged file is an error, or all of its records.
  std::mt19937 random(2);
  const std::string whole = bench.get("g.nc");
  for (int i = 0; i < 60; ++i) {
    std::string bytes = whole;
    for (auto k = 1 + random() % 3; k > 0; --k) {
      bytes[4 + random() % (bytes.size() - 4)] = static_cast<char>(random() % 256);
    }
    if (i % 4 == 0) bytes.resize(random() % bytes.size());
    bench.put("damaged.nc", bytes);
    const Result result = bench.run("settle damaged.nc --variable n --rejects r.csv");
    INFO(i << result.err);
    REQUIRE((result.exit == 0 || result.exit == 2 || result.exit == 3));
    if (result.exit == 0) CHECK_THAT(result.err, Catch::Contains(" 3 records = "));
  }
  // Two at once, though the library is for one thread at a time.
  CHECK(bench.run("join g.nc g4.nc --variable n").out ==
        "time,n_g,n_g4\n2025-10-25T22:00:00Z,1,1\n2025-10-25T23:00:00Z,2,2\n"
        "2025-10-26T00:30:00Z,3,3\n");
  for (const char* words : {"", "--variable sst", "--variable sst --near 53,-6", "--variable no",
                            "--variable sst --near 53", "--variable sst --slice no=1",
                            "--variable sst --slice depth=2 --near 53,-6"}) {
    INFO(words);
    CHECK(bench.run(std::string("settle g.nc ") + words).exit == 2);
  }
  shell(bench,
        "sed 's/22:00:00\"/22:00:00\"; time:calendar = \"noleap\"/' g.cdl > n.cdl && "
        "ncgen -o n.nc n.cdl");
  CHECK(bench.run("settle n.nc --variable n").exit == 3);
  for (const char* name : {"g.nc", "g4.nc"}) {
    const std::string bytes = bench.get(name);
    bench.put("cut.nc", bytes.substr(0, bytes.size() - 40));
    INFO(name);
    CHECK(bench.run("settle cut.nc --variable n").exit == 3);
  }
}

TEST_CASE("columns of a key are written as their own again", "[doors]") {
  const Bench bench;
  bench.put("t.csv",
            "time,port,species,x\n2025-01-01,quay,\"cod, small\",1\n2025-01-02,quay,ling,2\n"
            "2025-01-03,quay,\"cod, small\",3\n");
  CHECK(bench.run("settle t.csv --key port+species").out ==
        "time,port,species,x\n2025-01-01T00:00:00Z,quay,\"cod, small\",1\n"
        "2025-01-03T00:00:00Z,quay,\"cod, small\",3\n2025-01-02T00:00:00Z,quay,ling,2\n");
  CHECK_THAT(bench.run("describe t.csv --key port+species").out,
             Catch::Contains("port,species,column,count") && Catch::Contains("quay,ling,x,1"));
  CHECK(bench.run("select t.csv --key port+species --keys quay+ling --where \"species = 'ling'\"")
            .out == "time,port,species,x\n2025-01-02T00:00:00Z,quay,ling,2\n");
  CHECK_THAT(bench.run("check t.csv --key port+species --json").out,
             Catch::Contains("\"key\": \"quay+ling\""));
  check_plan_of(bench, "settle t.csv --key port+species");
}

TEST_CASE("numbers for people have as many digits as are asked for", "[doors]") {
  const Bench bench;
  bench.put("t.csv", "time,x\n2025-01-01,12345.678\n2025-01-02,0.00012345\n");
  CHECK(bench.run("settle t.csv --digits 3").out ==
        "time,x\n2025-01-01T00:00:00Z,12300\n2025-01-02T00:00:00Z,0.000123\n");
  CHECK_THAT(bench.run("settle t.csv --to text --digits 2").out, Catch::Contains("12000"));
  CHECK(bench.run("settle t.csv --digits 0").exit == 2);
}

}  // namespace zerobeat::testing::doors
