/* yarnswift compare: two results side by side, and whether the second is worse than is allowed. */
#include <errno.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/page/page.h"
#include "cli/shared/options.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"

#define PATH_SIZE       160
#define THRESHOLDS_MOST 32

/* A figure that may get worse by so many per cent; an empty key: every one that has a better and a worse. */
struct threshold {
    char key[PATH_SIZE];
    double percent;
};

enum key { KEY_THRESHOLD = 0x700 };

struct input {
    struct common common;
    bool all; /* also what is the same */
    struct threshold thresholds[THRESHOLDS_MOST];
    size_t threshold_count;
};

/* A number somewhere in a result. */
struct figure {
    char path[PATH_SIZE];
    double value;
};

struct figures {
    struct figure *items;
    size_t count;
};

/* A figure in both, or in one of them. */
struct row {
    const char *path;
    const double *a; /* NULL: it is not in there */
    const double *b;
    double change; /* in per cent; NAN: there is none */
    int verdict;   /* 1: better, -1: worse than is allowed, -2: it is judged and missing in one, 0: nothing of these */
};

/* options */

static bool take_threshold(const char *who, const char *text, struct input *input)
{
    const char *equals = strrchr(text, '=');
    const char *number = equals != NULL ? equals + 1 : text;
    char *end;
    struct threshold *threshold = &input->thresholds[input->threshold_count];
    if (input->threshold_count == THRESHOLDS_MOST)
        return complain(who, "--threshold can be given at most %d times", THRESHOLDS_MOST);
    threshold->percent = strtod(number, &end);
    size_t length = equals != NULL ? (size_t)(equals - text) : 0;
    if (end == number || *end != '\0' || !(threshold->percent >= 0) || length >= PATH_SIZE ||
        (equals != NULL && length == 0))
        return complain(who, "--threshold must be PERCENT or FIGURE=PERCENT, such as goodput_bps=5, not \"%s\"", text);
    (void)snprintf(threshold->key, PATH_SIZE, "%.*s", (int)length, text);
    input->threshold_count++;
    return true;
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    struct input *input = state->input;
    switch (key) {
    case KEY_THRESHOLD:
        return take_threshold(state->argv[0], argument, input) ? 0 : EINVAL;
    case 'a':
        input->all = true;
        return 0;
    default:
        return parse_common(key, argument, state, &input->common);
    }
}

/* reading */

/* The name of an item of a list, so that items are matched in any order; NULL: it is matched by its position. */
static const char *name_of(const json_t *json)
{
    static const char *const keys[] = {"cause", "name", "scanner", "scene", "file"};
    const char *name = NULL;
    for (size_t i = 0; name == NULL && i < sizeof keys / sizeof keys[0]; i++)
        name = json_string_value(json_object_get(json, keys[i]));
    return name;
}

static void gather(json_t *json, const char *path, struct figures *figures)
{
    char inner[PATH_SIZE];
    const char *key;
    json_t *value;
    size_t index;
    if (json_is_number(json)) {
        figures->items = realloc(figures->items, (figures->count + 1) * sizeof *figures->items);
        if (figures->items == NULL)
            abort();
        struct figure *figure = &figures->items[figures->count++];
        (void)snprintf(figure->path, PATH_SIZE, "%s", path);
        figure->value = json_number_value(json);
    } else if (json_is_object(json)) {
        json_object_foreach(json, key, value)
        {
            (void)snprintf(inner, sizeof inner, "%s%s%s", path, path[0] != '\0' ? "." : "", key);
            gather(value, inner, figures);
        }
    } else if (json_is_array(json)) {
        json_array_foreach(json, index, value)
        {
            const char *name = name_of(value);
            if (name != NULL)
                (void)snprintf(inner, sizeof inner, "%s[%s]", path, name);
            else
                (void)snprintf(inner, sizeof inner, "%s[%zu]", path, index);
            gather(value, inner, figures);
        }
    }
}

static json_t *load(const char *who, const char *path)
{
    json_error_t error;
    json_t *json = json_load_file(path, JSON_REJECT_DUPLICATES, &error);
    if (json == NULL && error.line <= 0)
        (void)complain(who, "cannot read %s: %s", path, error.text);
    else if (json == NULL)
        (void)complain(who, "%s:%d:%d: %s: it must be a result that was printed with --json", path, error.line,
                       error.column, error.text);
    if (json != NULL && !json_is_object(json) && !json_is_array(json)) {
        (void)complain(who, "%s is no result of yarnswift: those are objects, or lists of them", path);
        json_decref(json);
        json = NULL;
    }
    return json;
}

/* comparing */

static bool ends_with(const char *path, const char *end)
{
    size_t length = strlen(path);
    size_t size = strlen(end);
    return length >= size && strcmp(path + length - size, end) == 0 &&
           (length == size || path[length - size - 1] == '.' || path[length - size - 1] == ']');
}

/* 1: more is better, -1: less is, 0: nobody can say. */
static int direction(const char *path)
{
    static const char *const more[] = {"goodput_bps",  "limit_bps", "ratio",
                                       "battery_days", "margin_db", "strength_dbm"};
    static const char *const less[] = {"missing",
                                       "never",
                                       "out_of_order",
                                       "retransmissions",
                                       "longest_silence_ms",
                                       "charge_mc_per_megabyte",
                                       "mean_current_ua",
                                       "flash_bytes",
                                       "ram_bytes",
                                       "stack_bytes",
                                       "host_flash_bytes",
                                       "port_flash_bytes",
                                       "host_ram_bytes",
                                       "port_ram_bytes",
                                       "wakeups_per_hour",
                                       "mean_instructions",
                                       "most_instructions"};
    /* what was asked for; and what would be if it were otherwise, which is another list each time */
    if (strstr(path, "parameters.") != NULL || strncmp(path, "limited_by[", strlen("limited_by[")) == 0)
        return 0;
    for (size_t i = 0; i < sizeof more / sizeof more[0]; i++) {
        if (ends_with(path, more[i]))
            return 1;
    }
    for (size_t i = 0; i < sizeof less / sizeof less[0]; i++) {
        if (ends_with(path, less[i]))
            return -1;
    }
    return strstr(path, "latency") != NULL || strstr(path, "found_ms") != NULL ? -1 : 0;
}

/* The allowed change for the worse in per cent; negative: none was given. The last pattern that matches counts; one
 * that names the figure comes before all others. */
static double allowed(const struct input *input, const char *path)
{
    double percent = -1;
    bool named = false;
    for (size_t i = 0; i < input->threshold_count; i++) {
        const struct threshold *threshold = &input->thresholds[i];
        bool fits = threshold->key[0] != '\0' && ends_with(path, threshold->key);
        if (!fits && (threshold->key[0] != '\0' || named))
            continue;
        percent = threshold->percent;
        named = fits;
    }
    return percent;
}

static int judge(const struct input *input, const struct row *row)
{
    int way = direction(row->path);
    double percent = allowed(input, row->path);
    if (way == 0 || percent < 0)
        return 0;
    if (row->a == NULL || row->b == NULL)
        return -2;
    double change = *row->a != 0 ? row->change : *row->b == *row->a ? 0 : *row->b > *row->a ? INFINITY : -INFINITY;
    if (way * change < -percent - 1e-9)
        return -1;
    return way * change > percent ? 1 : 0;
}

static const double *find(const struct figures *figures, const char *path)
{
    for (size_t i = 0; i < figures->count; i++) {
        if (strcmp(figures->items[i].path, path) == 0)
            return &figures->items[i].value;
    }
    return NULL;
}

static size_t join(const struct input *input, const struct figures *a, const struct figures *b, struct row *rows)
{
    size_t count = 0;
    for (size_t i = 0; i < a->count + b->count; i++) {
        bool first = i < a->count;
        const struct figures *from = first ? a : b;
        if (from->items == NULL)
            continue;
        const struct figure *figure = &from->items[first ? i : i - a->count];
        struct row row = {.path = figure->path,
                          .a = first ? &figure->value : NULL,
                          .b = first && i < b->count && strcmp(b->items[i].path, figure->path) == 0 ? &b->items[i].value
                               : first ? find(b, figure->path)
                                       : &figure->value,
                          .change = NAN};
        if (!first && find(a, figure->path) != NULL)
            continue;
        if (ends_with(row.path, "seed")) /* which is no quantity */
            row.change = NAN;
        else if (row.a != NULL && row.b != NULL && *row.a != 0)
            row.change = 100 * (*row.b / *row.a - 1);
        else if (row.a != NULL && row.b != NULL && *row.a == *row.b)
            row.change = 0;
        row.verdict = judge(input, &row);
        rows[count++] = row;
    }
    return count;
}

static const char *const verdict_words[] = {"missing", "worse", "", "better"}; /* from -2 on */

static void number_text(const double *number, char text[32])
{
    if (number == NULL)
        (void)snprintf(text, 32, "-");
    else if ((*number == floor(*number) || fabs(*number) >= 1e5) && fabs(*number) < 1e15)
        (void)snprintf(text, 32, "%.0f", *number);
    else
        (void)snprintf(text, 32, "%.6g", *number);
}

static bool is_same(const struct row *row)
{
    return row->a != NULL && row->b != NULL && *row->a == *row->b;
}

static void print_text(const struct input *input, const struct row *rows, size_t count, size_t worse)
{
    size_t same = 0;
    int width = 20;
    for (size_t i = 0; i < count; i++) {
        int length = (int)strlen(rows[i].path);
        if ((input->all || !is_same(&rows[i])) && length > width)
            width = length < 60 ? length : 60;
    }
    (void)printf("%-*s %16s %16s %10s\n", width, "figure", "first", "second", "change");
    for (size_t i = 0; i < count; i++) {
        char a[32];
        char b[32];
        char change[32] = "";
        same += is_same(&rows[i]);
        if (is_same(&rows[i]) && !input->all)
            continue;
        number_text(rows[i].a, a);
        number_text(rows[i].b, b);
        if (!isnan(rows[i].change))
            (void)snprintf(change, sizeof change, "%+.1f %%", rows[i].change);
        (void)printf("%-*s %16s %16s %10s%s%s\n", width, rows[i].path, a, b, change, rows[i].verdict != 0 ? "  " : "",
                     verdict_words[rows[i].verdict + 2]);
    }
    if (same > 0 && !input->all)
        (void)printf("%zu figures are the same in both.\n", same);
    if (input->threshold_count == 0)
        (void)printf("No --threshold: nothing was judged.\n");
    else if (worse == 0)
        (void)printf("Nothing is worse than allowed.\n");
    else
        (void)printf("%zu %s worse than allowed, or missing.\n", worse, worse == 1 ? "figure is" : "figures are");
}

/* The caller's. */
static json_t *result_json(const struct row *rows, size_t count, size_t worse)
{
    json_t *list = json_array();
    for (size_t i = 0; i < count; i++) {
        json_t *one = json_pack("{s:s}", "figure", rows[i].path);
        (void)json_object_set_new(one, "first", rows[i].a != NULL ? json_real(*rows[i].a) : json_null());
        (void)json_object_set_new(one, "second", rows[i].b != NULL ? json_real(*rows[i].b) : json_null());
        (void)json_object_set_new(one, "change_percent",
                                  isnan(rows[i].change) ? json_null() : json_real(rows[i].change));
        (void)json_object_set_new(one, "verdict",
                                  rows[i].verdict != 0 ? json_string(verdict_words[rows[i].verdict + 2]) : json_null());
        (void)json_array_append_new(list, one);
    }
    return json_pack("{s:s, s:I, s:o}", "kind", "comparison", "worse", (json_int_t)worse, "figures", list);
}

static void print_json(const struct row *rows, size_t count, size_t worse)
{
    json_t *root = result_json(rows, count, worse);
    (void)json_dumpf(root, stdout, JSON_INDENT(2) | JSON_REAL_PRECISION(12));
    (void)putchar('\n');
    json_decref(root);
}

static bool write_page(const struct input *input, const struct row *rows, size_t count, size_t worse)
{
    char summary[200];
    bool judged = input->threshold_count > 0;
    if (judged)
        (void)snprintf(summary, sizeof summary, "%zu of %zu figures %s worse than allowed, or missing.", worse, count,
                       worse == 1 ? "is" : "are");
    else
        (void)snprintf(summary, sizeof summary, "%zu figures. No --threshold: nothing was judged.", count);
    json_t *result = result_json(rows, count, worse);
    const struct page page = {.verb = "compare",
                              .title = "Two results",
                              .verdict = !judged     ? PAGE_UNJUDGED
                                         : worse > 0 ? PAGE_BAD
                                                     : PAGE_GOOD,
                              .summary = summary,
                              .result = result};
    bool good = page_write(&input->common, &page);
    json_decref(result);
    return good;
}

/* Of a list, that of its first. */
static const char *kind_of(const json_t *result)
{
    return json_string_value(json_object_get(json_is_array(result) ? json_array_get(result, 0) : result, "kind"));
}

/* Results of two different kinds are not compared, even if their figures have the same names. */
static bool check_kinds(const char *who, const json_t *first, const json_t *second)
{
    const char *a = kind_of(first);
    const char *b = kind_of(second);
    if (a == NULL || b == NULL || strcmp(a, b) != 0)
        return complain(who, "these results are of two kinds, %s and %s: name two of one verb", a != NULL ? a : "none",
                        b != NULL ? b : "none");
    return true;
}

/* Every threshold must be of something. */
static bool check_thresholds(const char *who, const struct input *input, const struct row *rows, size_t count)
{
    for (size_t i = 0; i < input->threshold_count; i++) {
        const char *key = input->thresholds[i].key;
        bool found = key[0] == '\0';
        bool judged = found;
        for (size_t j = 0; j < count && !judged; j++) {
            found = found || ends_with(rows[j].path, key);
            judged = ends_with(rows[j].path, key) && direction(rows[j].path) != 0;
        }
        if (!found)
            return complain(who, "neither file has a figure \"%s\"", key);
        if (!judged)
            return complain(who, "\"%s\" has no better and no worse", key);
    }
    return true;
}

static int compare(const char *who, const struct input *input, json_t *first, json_t *second)
{
    struct figures a = {.count = 0};
    struct figures b = {.count = 0};
    size_t worse = 0;
    int status = EXIT_BAD_INPUT;
    gather(first, "", &a);
    gather(second, "", &b);
    struct row *rows = calloc(a.count + b.count + 1, sizeof *rows);
    if (rows == NULL)
        abort();
    size_t count = join(input, &a, &b, rows);
    for (size_t i = 0; i < count; i++)
        worse += rows[i].verdict < 0;
    if (check_thresholds(who, input, rows, count)) {
        if (input->common.json)
            print_json(rows, count, worse);
        else
            print_text(input, rows, count, worse);
        status = worse > 0 ? EXIT_UNEXPECTED : EXIT_AS_EXPECTED;
        if (input->common.page != NULL && !write_page(input, rows, count, worse))
            status = EXIT_BAD_INPUT;
    }
    free(rows);
    free(a.items);
    free(b.items);
    return status;
}

int verb_compare(int argc, char **argv)
{
    static const struct argp_option options[] = {
        {"threshold", KEY_THRESHOLD, "[FIGURE=]PERCENT", 0,
         "Fail if this figure, or every figure, is worse by more than PERCENT; may be repeated", 0},
        {"all", 'a', NULL, 0, "Also show figures that are equal in both", 0},
        PAGE_OPTION,
        REPLACE_OPTION,
        {"json", 'j', NULL, 0, "Print the comparison as JSON", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "FIRST.json SECOND.json",
        .doc = "Compares two results that other verbs printed with --json: every figure, and its change in per cent. "
               "With a threshold it judges them: worse means less goodput, more latency, more charge. A figure with a "
               "threshold must be in both files.\vExit status: 0 no threshold is exceeded, 1 one is, 2 a file or an "
               "option is wrong.",
    };
    struct input input = {.all = false};
    if (!parse_options(&argp, argc, argv, &input))
        return EXIT_BAD_INPUT;
    if (input.common.files.count != 2) {
        (void)complain(argv[0], "name two results");
        return EXIT_BAD_INPUT;
    }
    if (!saving_is_free(input.common.page, input.common.replaces))
        return EXIT_BAD_INPUT;
    json_t *first = load(argv[0], input.common.files.paths[0]);
    json_t *second = first != NULL ? load(argv[0], input.common.files.paths[1]) : NULL;
    int status = second != NULL && check_kinds(argv[0], first, second) ? compare(argv[0], &input, first, second)
                                                                       : EXIT_BAD_INPUT;
    json_decref(first);
    json_decref(second);
    return status;
}
