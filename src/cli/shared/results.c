/* Results in an SQLite file: each is there whole or not at all, as soon as it has come. */
#include "cli/shared/results.h"

#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include <sqlite3.h>

#include "cli/shared/options.h"
#include "cli/shared/say.h"

/* Counts up when a file of before cannot be read any more (docs/results-file.md). */
#define FORMAT "1"

struct results {
    const char *who;
    const char *path;
    sqlite3 *database;
};

static bool say(const struct results *store, const char *what)
{
    return complain(store->who, "%s %s: %s", what, store->path, sqlite3_errmsg(store->database));
}

static bool run(const struct results *store, const char *sql)
{
    return sqlite3_exec(store->database, sql, NULL, NULL, NULL) == SQLITE_OK;
}

/* The first column of the first row of a statement with at most two texts, which is the caller's; NULL: none. */
static char *ask(const struct results *store, const char *sql, const char *one, const char *two, int *result)
{
    sqlite3_stmt *statement = NULL;
    char *text = NULL;
    *result = sqlite3_prepare_v2(store->database, sql, -1, &statement, NULL);
    if (*result == SQLITE_OK && one != NULL)
        *result = sqlite3_bind_text(statement, 1, one, -1, SQLITE_STATIC);
    if (*result == SQLITE_OK && two != NULL)
        *result = sqlite3_bind_text(statement, 2, two, -1, SQLITE_STATIC);
    if (*result == SQLITE_OK)
        *result = sqlite3_step(statement);
    if (*result == SQLITE_ROW && sqlite3_column_text(statement, 0) != NULL)
        text = strdup((const char *)sqlite3_column_text(statement, 0));
    (void)sqlite3_finalize(statement);
    return text;
}

static bool is_whole(const struct results *store)
{
    int result;
    char *verdict = ask(store, "PRAGMA quick_check(1)", NULL, NULL, &result);
    bool whole = verdict != NULL && strcmp(verdict, "ok") == 0;
    free(verdict);
    return whole;
}

/* Whether it is a file of results, in the form that is written here. */
static bool is_of_this_format(const struct results *store)
{
    int result;
    char *format = ask(store, "SELECT value FROM file WHERE key = 'format'", NULL, NULL, &result);
    bool same = format != NULL && strcmp(format, FORMAT) == 0;
    if (format == NULL)
        (void)complain(store->who, "%s is no file of results", store->path);
    else if (!same)
        (void)complain(store->who, "%s has format %s, and this version reads and writes format " FORMAT, store->path,
                       format);
    free(format);
    return same;
}

static bool is_about(const struct results *store, const char *about)
{
    int result;
    if (!is_of_this_format(store))
        return false;
    char *was = ask(store, "SELECT value FROM file WHERE key = 'about'", NULL, NULL, &result);
    bool same = was != NULL && strcmp(was, about) == 0;
    if (was != NULL && !same)
        (void)complain(store->who, "%s has results of something else: of %s, not of %s", store->path, was, about);
    else if (was == NULL)
        (void)complain(store->who, "%s is no file of results", store->path);
    free(was);
    return same;
}

static bool make(const struct results *store, const char *about)
{
    int result;
    bool good =
        run(store, "PRAGMA synchronous = NORMAL") && run(store, "BEGIN IMMEDIATE") &&
        run(store, "CREATE TABLE IF NOT EXISTS file (key TEXT PRIMARY KEY, value TEXT NOT NULL) WITHOUT ROWID") &&
        run(store, "CREATE TABLE IF NOT EXISTS result (point TEXT PRIMARY KEY, json TEXT NOT NULL) WITHOUT ROWID");
    if (good) {
        free(ask(store, "INSERT OR IGNORE INTO file VALUES ('about', ?1), ('format', ?2)", about, FORMAT, &result));
        good = result == SQLITE_DONE && run(store, "COMMIT");
    }
    return good || say(store, "cannot write");
}

struct results *results_open(const char *who, const char *path, const char *about)
{
    struct results *store = calloc(1, sizeof *store);
    struct stat status; /* one that is empty may be another sweep's, which has just begun */
    bool is_new = path == NULL || stat(path, &status) != 0 || status.st_size == 0;
    if (store == NULL)
        abort();
    store->who = who;
    store->path = path != NULL ? path : "the results";
    bool good = sqlite3_open(path != NULL ? path : ":memory:", &store->database) == SQLITE_OK;
    if (!good)
        (void)say(store, "cannot open");
    else
        (void)sqlite3_busy_timeout(store->database, 10000);
    if (good && !is_new && !is_whole(store)) {
        good = false;
        (void)complain(who, "%s is damaged, or no file of results: it is left as it is", store->path);
    }
    good = good && (!is_new || make(store, about)) && is_about(store, about);
    if (good)
        return store;
    results_close(store);
    return NULL;
}

void results_close(struct results *store)
{
    (void)sqlite3_close(store->database);
    free(store);
}

char *results_get(struct results *store, const char *point)
{
    int result;
    return ask(store, "SELECT json FROM result WHERE point = ?1", point, NULL, &result);
}

bool results_has(struct results *store, const char *point)
{
    char *json = results_get(store, point);
    free(json);
    return json != NULL;
}

bool results_put(struct results *store, const char *point, const char *json)
{
    int result;
    free(ask(store, "INSERT OR REPLACE INTO result VALUES (?1, ?2)", point, json, &result));
    return result == SQLITE_DONE || say(store, "earlier results are kept, but writing failed:");
}

char *results_about(const char *who, const char *path)
{
    struct results store = {.who = who, .path = path};
    int result;
    char *about = NULL;
    if (access(path, R_OK) != 0) {
        (void)complain(who, "cannot open %s", path);
        return NULL;
    }
    if (sqlite3_open_v2(path, &store.database, SQLITE_OPEN_READONLY, NULL) != SQLITE_OK || !is_whole(&store))
        (void)complain(who, "%s is damaged, or no file of results", path);
    else if (is_of_this_format(&store))
        about = ask(&store, "SELECT value FROM file WHERE key = 'about'", NULL, NULL, &result);
    (void)sqlite3_close(store.database);
    return about;
}

int results_merge(struct results *store, const char *path)
{
    int result;
    free(ask(store, "ATTACH ?1 AS other", path, NULL, &result));
    if (result != SQLITE_DONE) {
        (void)say(store, "cannot read another file into");
        return -1;
    }
    int before = sqlite3_total_changes(store->database);
    bool good = run(store, "INSERT OR IGNORE INTO main.result SELECT point, json FROM other.result");
    int count = sqlite3_total_changes(store->database) - before;
    if (!good)
        (void)say(store, "cannot write");
    (void)run(store, "DETACH other");
    return good ? count : -1;
}

bool results_merge_all(const char *who, const char *into, const struct common *common, const char *what)
{
    char *const *paths = common->files.paths;
    int count = common->files.count;
    struct results *store = NULL;
    int total = 0;
    bool good = (into != NULL && count > 0) ||
                complain(who, "--merge needs the files to be merged, and --results with the file to put them into");
    good = good && (common->page == NULL || complain(who, "--merge only merges results: omit --page"));
    char *about = good ? results_about(who, paths[0]) : NULL;
    good = about != NULL;
    for (int i = 1; good && i < count; i++) {
        char *other = results_about(who, paths[i]);
        good = other != NULL &&
               (strcmp(other, about) == 0 ||
                complain(who, "%s has results of something else: of %s, not of %s", paths[i], other, about));
        free(other);
    }
    if (good)
        store = results_open(who, into, about);
    good = store != NULL;
    for (int i = 0; good && i < count; i++) {
        int merged = results_merge(store, paths[i]);
        good = merged >= 0;
        total += merged > 0 ? merged : 0;
    }
    if (good)
        (void)printf("%s: %d %s from %d files\n", into, total, what, count);
    if (store != NULL)
        results_close(store);
    free(about);
    return good;
}

/* A number in front of a mark, which is then after `text`. */
static bool take_before(const char **text, char mark, unsigned long long *number)
{
    char first[24] = "";
    const char *end = strchr(*text, mark);
    if (end == NULL || (size_t)(end - *text) >= sizeof first)
        return false;
    (void)snprintf(first, sizeof first, "%.*s", (int)(end - *text), *text);
    *text = end + 1;
    return parse_number(first, number);
}

bool results_take_part(const char *who, const char *text, unsigned long long most, unsigned long long *part,
                       unsigned long long *parts)
{
    const char *left = text;
    unsigned long long first = 1;
    unsigned long long last = 0;
    bool good = take_before(&left, '/', part);
    if (good && strchr(left, '-') != NULL)
        good = take_before(&left, '-', &first);
    good = good && parse_number(left, &last) && first <= *part && *part <= last && last - first < most;
    *part = good ? *part - first + 1 : 1;
    *parts = good ? last - first + 1 : 1;
    return good || complain(who,
                            "--part must be I/N with I from 1 to N, such as 2/8, or I/A-B with I from A to B, such as "
                            "0/0-7, not \"%s\"",
                            text);
}
