/* Pictures of a sweep: lines, with the limit beside each, or a heat map. */
#include "cli/sweep/plot.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/plot.h"
#include "cli/shared/say.h"
#include "cli/sweep/swept.h"

#define LINES_MOST 8
#define TICS_MOST  16 /* that have room below a plot */

static const char *const colours[LINES_MOST] = {"#2a6f97", "#c1442e", "#4f7f3a", "#8a5a9e",
                                                "#b8860b", "#3b3b3b", "#d1779b", "#66a5ad"};

/* The key in words, with its unit after it: "interval (ms)". */
static void label(const struct sweep_axis *axis, char *text, size_t size)
{
    const char *key = axis->parameter->key;
    const char *unit = strrchr(key, '_');
    size_t name = strlen(axis->parameter->name);
    (void)snprintf(text, size, "%s", axis->parameter->name);
    for (char *c = text; *c != '\0'; c++) {
        if (*c == '-')
            *c = ' ';
    }
    if (unit != NULL && strlen(key) > name)
        (void)snprintf(text + name, size - name, " (%s)", unit + 1);
}

/* The range of a numeric axis; logarithmic if its values are so far apart that the small ones would lie on each other.
 */
static void put_range(const struct sweep_axis *axis, FILE *script)
{
    double least = HUGE_VAL;
    double greatest = 0;
    for (size_t i = 0; i < axis->count; i++) {
        least = fmin(least, strtod(axis->values[i], NULL));
        greatest = fmax(greatest, strtod(axis->values[i], NULL));
    }
    if (least > 0 && greatest > 15 * least)
        (void)fprintf(script, "set logscale x\nset xrange [%g:%g]\n", 0.9 * least, 1.1 * greatest);
    else
        (void)fprintf(script, "set xrange [%g:%g]\n", least - 0.03 * (greatest - least),
                      greatest + 0.03 * (greatest - least));
}

/* The axis of the lines: the numeric one with the most values; the other axis distinguishes lines. */
static size_t along(const struct sweep *sweep)
{
    size_t best = 0;
    for (size_t i = 1; i < sweep->axis_count; i++) {
        const struct sweep_axis *axis = &sweep->axes[i];
        const struct sweep_axis *other = &sweep->axes[best];
        if (axis->parameter->numeric > other->parameter->numeric ||
            (axis->parameter->numeric == other->parameter->numeric && axis->count > other->count))
            best = i;
    }
    return best;
}

/* The point with these places on two axes. */
static size_t point_at(const struct sweep *sweep, size_t axis, size_t place, size_t other_place)
{
    if (sweep->axis_count == 1)
        return place;
    return axis == 0 ? place * sweep->axes[1].count + other_place : other_place * sweep->axes[1].count + place;
}

static void put_lines(const struct sweep *sweep, const struct sweep_result *results, size_t x, FILE *data)
{
    const struct sweep_axis *axis = &sweep->axes[x];
    size_t lines = sweep->axis_count > 1 ? sweep->axes[1 - x].count : 1;
    for (size_t line = 0; line < lines; line++) {
        (void)fprintf(data, "%s# place, %s, goodput and limit in kbit/s\n", line > 0 ? "\n\n" : "",
                      axis->parameter->key);
        for (size_t i = 0; i < axis->count; i++) {
            const struct sweep_result *result = &results[point_at(sweep, x, i, line)];
            if (!result->known)
                continue;
            (void)fprintf(data, "%zu ", i);
            if (axis->parameter->numeric)
                (void)fputs(axis->values[i], data);
            else
                plot_put_text(data, axis->values[i]);
            (void)fprintf(data, " %.3f %.3f\n", result->goodput_bps / 1000, result->limit_bps / 1000);
        }
    }
}

/* A tic with its words; where it is comes next. */
static void put_tic(FILE *script, size_t index, const char *words)
{
    (void)fputs(index > 0 ? ", " : "", script);
    plot_put_text(script, words);
    (void)fputc(' ', script);
}

/* Tics in the order of the values. */
static void put_tics(FILE *script, const struct sweep_axis *axis)
{
    for (size_t i = 0; i < axis->count; i++) {
        put_tic(script, i, axis->values[i]);
        (void)fprintf(script, "%zu", i);
    }
}

static void draw_lines(const struct sweep *sweep, size_t x, FILE *script)
{
    char name[40];
    const struct sweep_axis *axis = &sweep->axes[x];
    const struct sweep_axis *other = sweep->axis_count > 1 ? &sweep->axes[1 - x] : NULL;
    size_t lines = other != NULL ? other->count : 1;
    const char *column = axis->parameter->numeric ? "2" : "1";
    label(axis, name, sizeof name);
    (void)fputs("set border 3\nset tics nomirror out\nset grid ytics lc rgb \"#d8d8d8\"\nset yrange [0:*]\n"
                "set ylabel \"kbit/s of value\"\nset key outside right top Left reverse\nset xlabel ",
                script);
    plot_put_text(script, name);
    (void)fputc('\n', script);
    if (axis->parameter->numeric) {
        put_range(axis, script);
        (void)fputs("set xtics (", script);
        for (size_t i = 0; i < axis->count && axis->count <= TICS_MOST; i++) {
            put_tic(script, i, axis->values[i]);
            (void)fputs(axis->values[i], script);
        }
        (void)fputs(axis->count <= TICS_MOST ? ")\nplot" : ")\nset xtics auto\nplot", script);
    } else {
        (void)fprintf(script, "set xrange [-0.5:%zu.5]\nplot", axis->count - 1);
    }
    for (size_t line = 0; line < lines; line++) {
        const char *colour = colours[line % LINES_MOST];
        char title[80] = "goodput";
        if (other != NULL) {
            label(other, name, sizeof name);
            (void)snprintf(title, sizeof title, "%s %s", name, other->values[line]);
        }
        (void)fprintf(script, "%s data index %zu using %s:3%s with linespoints pt 7 ps 0.9 lw 2 lc rgb \"%s\" title ",
                      line > 0 ? ", \\\n" : "", line, column, axis->parameter->numeric ? "" : ":xtic(2)", colour);
        plot_put_text(script, title);
        (void)fprintf(script, ", \\\n data index %zu using %s:4 with lines dt 3 lw 2 lc rgb \"%s\" %s", line, column,
                      colour, line + 1 == lines ? "title \"limits, by calculation\"" : "notitle");
    }
    (void)fputc('\n', script);
}

static void draw_heat(const struct sweep *sweep, const struct sweep_result *results, FILE *data, FILE *script)
{
    char x_name[40];
    char y_name[40];
    const struct sweep_axis *y = &sweep->axes[0];
    const struct sweep_axis *x = &sweep->axes[1];
    (void)fprintf(data, "# place across, place up, goodput in kbit/s\n");
    for (size_t i = 0; i < sweep->point_count; i++) {
        if (results[i].known)
            (void)fprintf(data, "%zu %zu %.1f\n", i % x->count, i / x->count, results[i].goodput_bps / 1000);
    }
    label(x, x_name, sizeof x_name);
    label(y, y_name, sizeof y_name);
    (void)fputs("set xlabel ", script);
    plot_put_text(script, x_name);
    (void)fputs("\nset ylabel ", script);
    plot_put_text(script, y_name);
    (void)fputs("\nset cblabel \"kbit/s of value\"\nset xtics (", script);
    put_tics(script, x);
    (void)fputs(")\nset ytics (", script);
    put_tics(script, y);
    (void)fprintf(script,
                  ")\nset tics out nomirror\nset xrange [-0.5:%zu.5]\nset yrange [-0.5:%zu.5]\nset cbrange [0:*]\n"
                  "set palette defined (0 \"#f4f6f4\", 1 \"#cfe0e4\", 2 \"#8fbccb\", 3 \"#4d93b0\")\n"
                  "plot data using 1:2:3 with image notitle",
                  x->count - 1, y->count - 1);
    if (sweep->point_count <= 120) /* each cell has room for its number */
        (void)fputs(", \\\n data using 1:2:(sprintf(\"%.0f\", $3)) with labels tc rgb \"#101010\" notitle", script);
    (void)fputc('\n', script);
}

bool sweep_can_be_drawn(const char *who, const struct sweep *sweep, bool heat)
{
    if (sweep->axis_count == 0 || sweep->axis_count > 2 || (heat && sweep->axis_count != 2))
        return complain(who, "a plot shows %s parameters with several values, and there are %zu",
                        heat ? "two" : "one or two", sweep->axis_count);
    if (!heat && sweep->axis_count == 2 && sweep->axes[1 - along(sweep)].count > LINES_MOST)
        return complain(who, "more than %d lines cannot be told apart: draw them with --heat", LINES_MOST);
    return true;
}

bool sweep_draw(const char *who, const char *path, const struct sweep *sweep, const struct sweep_result *results,
                const char *title, bool heat, bool replaces)
{
    struct plot plot;
    size_t x = along(sweep);
    if (!plot_begin(&plot, who, path, replaces))
        return false;
    const struct parameter *varied[32];
    char fixed[300];
    char whole[700];
    for (size_t i = 0; i < sweep->axis_count; i++)
        varied[i] = sweep->axes[i].parameter;
    parameters_say_fixed(&sweep->base, varied, sweep->axis_count, fixed, sizeof fixed);
    (void)snprintf(whole, sizeof whole, "%s\n%s", title, fixed);
    (void)fputs("set title ", plot.script);
    plot_put_text(plot.script, whole);
    (void)fputs(" noenhanced\n", plot.script);
    if (heat) {
        draw_heat(sweep, results, plot.data, plot.script);
    } else {
        put_lines(sweep, results, x, plot.data);
        draw_lines(sweep, x, plot.script);
    }
    return plot_end(&plot);
}
