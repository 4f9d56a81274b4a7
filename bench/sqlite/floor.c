/* The floor of SQLite: the engine driven from C, a prepared statement for each record of
 * delimited text. Usage: floor FILE.csv DATABASE [KEY]. The types are those of the table that
 * floor.go makes for the other floors. */
#include <errno.h>
#include <sqlite3.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { COLUMNS = 11 };

static const char *const create =
    "CREATE TABLE specimens (specimen_id integer NOT NULL, shelf_code char(5) NOT NULL, name varchar(30) NOT NULL,"
    " colour varchar(20) NOT NULL, mass_g decimal(8,2) NOT NULL, value decimal(7,1) NOT NULL, found_on date NOT NULL,"
    " examined_at timestamp, on_loan boolean NOT NULL, pieces smallint NOT NULL, note text, PRIMARY KEY (%s))";

/* What each column is: a whole number, a decimal, a truth, or text. */
static const char kinds[COLUMNS] = {'i', 't', 't', 't', 'd', 'd', 't', 't', 'b', 'i', 't'};

static sqlite3 *db;

static void check(int code, int want) {
    if (code != want) {
        fprintf(stderr, "sqlite: %s\n", sqlite3_errmsg(db));
        exit(1);
    }
}

static void bind(sqlite3_stmt *stmt, int i, char *cell, size_t n) {
    int code;
    if (n == 0)
        code = sqlite3_bind_null(stmt, i + 1);
    else if (kinds[i] == 'i')
        code = sqlite3_bind_int64(stmt, i + 1, strtoll(cell, NULL, 10));
    else if (kinds[i] == 'd')
        code = sqlite3_bind_double(stmt, i + 1, strtod(cell, NULL));
    else if (kinds[i] == 'b')
        code = sqlite3_bind_int(stmt, i + 1, cell[0] == 't');
    else
        code = sqlite3_bind_text(stmt, i + 1, cell, (int)n, SQLITE_STATIC);
    check(code, SQLITE_OK);
}

/* cut binds the cells of a line, in place. */
static void cut(sqlite3_stmt *stmt, char *p) {
    for (int i = 0; i < COLUMNS; i++) {
        char *start = p, *end;
        if (*p == '"') {
            start = end = ++p;
            for (; *p && !(p[0] == '"' && p[1] != '"'); p++) {
                if (*p == '"')
                    p++;
                *end++ = *p;
            }
            if (*p)
                p++;
        } else {
            p += strcspn(p, ",\r\n");
            end = p;
        }
        if (*p)
            p++;
        *end = 0;
        bind(stmt, i, start, (size_t)(end - start));
    }
}

int main(int argc, char **argv) {
    if (argc < 3)
        return 2;
    char definition[1000];
    snprintf(definition, sizeof definition, create, argc > 3 ? argv[3] : "specimen_id");
    FILE *f = fopen(argv[1], "r");
    if (!f) {
        perror(argv[1]);
        return 1;
    }
    static char buffer[1 << 20];
    setvbuf(f, buffer, _IOFBF, sizeof buffer);
    check(sqlite3_open(argv[2], &db), SQLITE_OK);
    check(sqlite3_exec(db, "BEGIN", NULL, NULL, NULL), SQLITE_OK);
    check(sqlite3_exec(db, definition, NULL, NULL, NULL), SQLITE_OK);
    sqlite3_stmt *stmt;
    check(sqlite3_prepare_v2(db, "INSERT INTO specimens VALUES (?,?,?,?,?,?,?,?,?,?,?)", -1, &stmt, NULL), SQLITE_OK);
    char *line = NULL;
    size_t room = 0;
    getline(&line, &room, f); /* the header */
    while (getline(&line, &room, f) > 0) {
        cut(stmt, line);
        check(sqlite3_step(stmt), SQLITE_DONE);
        check(sqlite3_reset(stmt), SQLITE_OK);
    }
    sqlite3_finalize(stmt);
    check(sqlite3_exec(db, "COMMIT", NULL, NULL, NULL), SQLITE_OK);
    check(sqlite3_close(db), SQLITE_OK);
    return 0;
}
