/* Takes of scenes, as they are printed. */
#include "cli/rehearse/takes.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/generated.h"
#include "cli/shared/say.h"
#include "wire/utf8.h"

/* to JSON */

/* A text that may hold bytes which are none. */
static json_t *text_of(const char *text)
{
    json_t *string = json_string(text);
    return string != NULL ? string : json_string("(no text)");
}

static double seconds(uint64_t ns)
{
    return (double)ns / 1e9;
}

static json_t *step_to_json(const struct ys_done_step *step)
{
    return json_pack("{s:i, s:f, s:f, s:o, s:o, s:o, s:o, s:b}", "line", step->line, "began_s", seconds(step->began_ns),
                     "ended_s", seconds(step->ended_ns), "who", text_of(step->who), "what", text_of(step->what),
                     "expected", text_of(step->expected), "came", text_of(step->came), "passed", step->passed);
}

static json_t *log_to_json(const struct ys_take *take)
{
    json_t *lines = json_array();
    for (size_t i = 0; i < take->line_count; i++)
        (void)json_array_append_new(lines,
                                    json_pack("{s:f, s:o, s:o}", "at_s", seconds(take->lines[i].at_ns), "who",
                                              text_of(take->lines[i].who), "text", text_of(take->lines[i].text)));
    return lines;
}

static json_t *spent_to_json(const struct ys_take *take)
{
    json_t *list = json_array();
    for (size_t i = 0; i < take->spent_count; i++) {
        const struct ys_spent *spent = &take->spent[i];
        json_t *one = json_pack("{s:o, s:f, s:f, s:f, s:f, s:f, s:f}", "who", text_of(spent->who), "mean_current_ua",
                                spent->mean_ua, "standby_uc", spent->charge.standby_uc, "events_uc",
                                spent->charge.events_uc, "transmit_uc", spent->charge.transmit_uc, "turn_round_uc",
                                spent->charge.turn_uc, "receive_uc", spent->charge.receive_uc);
        (void)json_object_set_new(one, "battery_days", spent->days > 0 ? json_real(spent->days) : json_null());
        (void)json_array_append_new(list, one);
    }
    return list;
}

static json_t *image_to_json(const struct ys_image_told *told)
{
    const struct ys_target_sizes *sizes = &told->sizes;
    json_t *calls = json_array();
    for (size_t i = 0; i < told->call_count; i++) {
        const struct ys_image_call *call = &told->calls[i];
        (void)json_array_append_new(calls, json_pack("{s:o, s:I, s:f, s:f}", "name", text_of(call->what), "calls",
                                                     (json_int_t)call->calls, "mean_instructions", call->mean,
                                                     "most_instructions", call->most));
    }
    return json_pack("{s:o, s:I, s:I, s:I, s:I, s:I, s:I, s:I, s:I, s:I, s:f, s:o}", "name", text_of(told->who),
                     "flash_bytes", (json_int_t)sizes->flash, "host_flash_bytes", (json_int_t)sizes->flash_host,
                     "port_flash_bytes", (json_int_t)sizes->flash_port, "table_flash_bytes",
                     (json_int_t)sizes->flash_table, "ram_bytes", (json_int_t)sizes->ram, "host_ram_bytes",
                     (json_int_t)sizes->ram_host, "port_ram_bytes", (json_int_t)sizes->ram_port, "stack_bytes",
                     (json_int_t)told->stack_deepest, "stack_size_bytes", (json_int_t)sizes->stack, "wakeups_per_hour",
                     told->wakes_an_hour, "calls", calls);
}

static json_t *images_to_json(const struct ys_take *take)
{
    json_t *list = json_array();
    for (size_t i = 0; i < take->image_count; i++)
        (void)json_array_append_new(list, image_to_json(&take->images[i]));
    return list;
}

json_t *take_to_json(const struct ys_scene *scene, const struct ys_take *take, bool log)
{
    json_t *steps = json_array();
    json_t *packets = json_array();
    for (size_t i = 0; i < take->step_count; i++)
        (void)json_array_append_new(steps, step_to_json(&take->steps[i]));
    for (size_t i = 0; i < take->packet_count; i++)
        (void)json_array_append_new(packets, text_of(take->packets[i]));
    json_t *root =
        json_pack("{s:o, s:o, s:I, s:b, s:f, s:I, s:o}", "file", text_of(scene->file), "title",
                  text_of(scene->title.text), "seed", (json_int_t)take->seed, "passed", take->ending == YS_TAKE_PASSED,
                  "simulated_s", take->simulated_s, "air_packets", (json_int_t)take->air_packets, "steps", steps);
    (void)json_object_set_new(root, "packets", packets);
    if (take->ending == YS_TAKE_BROKEN) {
        char where[4400];
        (void)snprintf(where, sizeof where, "%s:%d:%d: error: %s", scene->file, take->place.line, take->place.column,
                       take->problem);
        (void)json_object_set_new(root, "problem", text_of(take->place.line > 0 ? where : take->problem));
    }
    if (take->spent_count > 0)
        (void)json_object_set_new(root, "charge", spent_to_json(take));
    if (take->image_count > 0)
        (void)json_object_set_new(root, "images", images_to_json(take));
    if (log)
        (void)json_object_set_new(root, "log", log_to_json(take));
    return root;
}

json_t *broken_take(const char *file, const char *title, unsigned long long seed, const char *problem)
{
    return json_pack("{s:o, s:o, s:I, s:b, s:f, s:i, s:[], s:[], s:o}", "file", text_of(file), "title", text_of(title),
                     "seed", (json_int_t)seed, "passed", 0, "simulated_s", 0.0, "air_packets", 0, "steps", "packets",
                     "problem", text_of(problem));
}

/* in words */

static const char *string_of(const json_t *object, const char *key)
{
    const char *text = json_string_value(json_object_get(object, key));
    return text != NULL ? text : "";
}

static double real_of(const json_t *object, const char *key)
{
    return json_number_value(json_object_get(object, key));
}

bool take_passed(const json_t *take)
{
    return json_is_true(json_object_get(take, "passed"));
}

bool take_is_broken(const json_t *take)
{
    return json_object_get(take, "problem") != NULL;
}

/* Characters of a text in UTF-8, which may have more bytes than that. */
static int characters(const char *text)
{
    int count = 0;
    for (; *text != '\0'; text++)
        count += ((unsigned char)*text & 0xc0) != 0x80;
    return count;
}

/* The widest of a column, up to a limit. */
static int width_of(const json_t *steps, const char *key, int most)
{
    size_t index;
    const json_t *step;
    int width = 0;
    json_array_foreach(steps, index, step)
    {
        int length = characters(string_of(step, key));
        width = length > width && length <= most ? length : width;
    }
    return width;
}

static void print_column(FILE *stream, const char *text, int width)
{
    int left = width - characters(text);
    (void)fprintf(stream, "%s%*s  ", text, left > 0 ? left : 0, "");
}

static void print_step(FILE *stream, const json_t *step, int who, int what, bool colour)
{
    (void)fprintf(stream, "%12.6f s  ", real_of(step, "ended_s"));
    print_column(stream, string_of(step, "who"), who);
    print_column(stream, string_of(step, "what"), what);
    if (!take_passed(step))
        (void)fputs(colour ? "\033[1;31mFAILED\033[0m: " : "FAILED: ", stream);
    (void)fprintf(stream, "%s\n", string_of(step, "came"));
}

void take_print(FILE *stream, const json_t *take, bool colour)
{
    const json_t *steps = json_object_get(take, "steps");
    const json_t *step;
    size_t index;
    int who = width_of(steps, "who", 16);
    int what = width_of(steps, "what", 64);
    json_array_foreach(steps, index, step)
    {
        print_step(stream, step, who, what, colour);
    }
}

void take_print_charge(FILE *stream, const json_t *take)
{
    const json_t *spent;
    size_t index;
    json_array_foreach(json_object_get(take, "charge"), index, spent)
    {
        double standby_uc = real_of(spent, "standby_uc");
        double events_uc = real_of(spent, "events_uc");
        double transmit_uc = real_of(spent, "transmit_uc");
        double receive_uc = real_of(spent, "receive_uc") + real_of(spent, "turn_round_uc");
        double all_uc = standby_uc + events_uc + transmit_uc + receive_uc;
        double percent = all_uc > 0 ? 100 / all_uc : 0;
        (void)fprintf(stream, "charge  %s draws %.1f uA on average", string_of(spent, "who"),
                      real_of(spent, "mean_current_ua"));
        if (json_is_number(json_object_get(spent, "battery_days")))
            (void)fprintf(stream, ": its battery lasts %.0f days", real_of(spent, "battery_days"));
        (void)fprintf(stream, " (standby %.0f %%, waking up %.0f %%, sending %.0f %%, listening %.0f %%)\n",
                      standby_uc * percent, events_uc * percent, transmit_uc * percent, receive_uc * percent);
    }
}

static json_int_t whole_of(const json_t *object, const char *key)
{
    return json_integer_value(json_object_get(object, key));
}

void take_print_images(FILE *stream, const json_t *take)
{
    const json_t *image;
    const json_t *call;
    size_t i;
    size_t j;
    json_array_foreach(json_object_get(take, "images"), i, image)
    {
        if (whole_of(image, "flash_bytes") == 0) { /* a board, whose file nobody has */
            (void)fprintf(stream, "\nboard   %s: stack %lld of %lld bytes; wakes up %.0f times an hour\n",
                          string_of(image, "name"), whole_of(image, "stack_bytes"), whole_of(image, "stack_size_bytes"),
                          real_of(image, "wakeups_per_hour"));
            continue;
        }
        int width = width_of(json_object_get(image, "calls"), "name", 48);
        (void)fprintf(
            stream,
            "\nimage   %s: flash %lld bytes (host %lld, port %lld, table %lld), RAM %lld (host %lld, port %lld), "
            "stack %lld of %lld; wakes up %.0f times an hour\n",
            string_of(image, "name"), whole_of(image, "flash_bytes"), whole_of(image, "host_flash_bytes"),
            whole_of(image, "port_flash_bytes"), whole_of(image, "table_flash_bytes"), whole_of(image, "ram_bytes"),
            whole_of(image, "host_ram_bytes"), whole_of(image, "port_ram_bytes"), whole_of(image, "stack_bytes"),
            whole_of(image, "stack_size_bytes"), real_of(image, "wakeups_per_hour"));
        if (json_array_size(json_object_get(image, "calls")) > 0)
            (void)fprintf(stream, "  %-*s  %8s  %12s  %12s\n", width, "instructions", "calls", "mean", "most");
        json_array_foreach(json_object_get(image, "calls"), j, call)
        {
            (void)fputs("  ", stream);
            print_column(stream, string_of(call, "name"), width);
            (void)fprintf(stream, "%8lld  %12.0f  %12.0f\n", whole_of(call, "calls"),
                          real_of(call, "mean_instructions"), real_of(call, "most_instructions"));
        }
    }
}

void take_print_failure(FILE *stream, const json_t *take, bool colour)
{
    const json_t *packets = json_object_get(take, "packets");
    const json_t *step;
    const json_t *packet;
    size_t index;
    json_array_foreach(json_object_get(take, "steps"), index, step)
    {
        if (take_passed(step))
            continue;
        (void)fprintf(stream, "\n%s%s:%d: %s: %s%s\n", colour ? "\033[1m" : "", string_of(take, "file"),
                      (int)json_integer_value(json_object_get(step, "line")), string_of(step, "who"),
                      string_of(step, "what"), colour ? "\033[0m" : "");
        (void)fprintf(stream, "  expected  %s\n  came      %s\n", string_of(step, "expected"), string_of(step, "came"));
    }
    if (json_array_size(packets) > 0)
        (void)fputs("  the last packets on the air that told something:\n", stream);
    json_array_foreach(packets, index, packet)
    {
        (void)fprintf(stream, "  %s\n", json_string_value(packet));
    }
}

/* JUnit XML */

static const char junit_begin[] =
    "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites name=\"yarnswift rehearse\">\n";

/* As text and as an attribute; what XML cannot hold is replaced. */
static void put_escaped(FILE *stream, const char *text)
{
    for (size_t left = strlen(text); left > 0;) {
        const char *name = *text == '<'    ? "&lt;"
                           : *text == '>'  ? "&gt;"
                           : *text == '&'  ? "&amp;"
                           : *text == '"'  ? "&quot;"
                           : *text == '\n' ? "\n"
                                           : NULL;
        size_t length = ys_utf8_plain(text, left);
        if (name != NULL)
            (void)fputs(name, stream);
        else if (length > 0)
            (void)fwrite(text, 1, length, stream);
        else
            (void)fputs("\xef\xbf\xbd", stream); /* U+FFFD */
        length = length > 0 ? length : 1;
        text += length;
        left -= length;
    }
}

/* The first thing that went wrong, in one line. */
static void put_message(FILE *stream, const json_t *take)
{
    const json_t *step;
    size_t index;
    if (take_is_broken(take)) {
        put_escaped(stream, string_of(take, "problem"));
        return;
    }
    json_array_foreach(json_object_get(take, "steps"), index, step)
    {
        if (take_passed(step))
            continue;
        (void)fprintf(stream, "line %d: ", (int)json_integer_value(json_object_get(step, "line")));
        put_escaped(stream, string_of(step, "who"));
        (void)fputs(": ", stream);
        put_escaped(stream, string_of(step, "what"));
        (void)fputs(": expected ", stream);
        put_escaped(stream, string_of(step, "expected"));
        (void)fputs(", came ", stream);
        put_escaped(stream, string_of(step, "came"));
        return;
    }
}

static void put_failure(FILE *stream, const json_t *take)
{
    char *words = NULL;
    size_t length = 0;
    bool broken = take_is_broken(take);
    FILE *memory = open_memstream(&words, &length);
    if (memory == NULL)
        return;
    if (broken)
        (void)fputs(string_of(take, "problem"), memory);
    else
        take_print_failure(memory, take, false);
    (void)fclose(memory);
    (void)fprintf(stream, "      <%s message=\"", broken ? "error" : "failure");
    put_message(stream, take);
    (void)fputs("\">", stream);
    put_escaped(stream, words);
    (void)fprintf(stream, "</%s>\n", broken ? "error" : "failure");
    free(words);
}

static void put_suite(FILE *stream, const json_t *scene)
{
    const json_t *takes = json_object_get(scene, "takes");
    const json_t *take;
    size_t index;
    size_t failures = 0;
    size_t errors = 0;
    json_array_foreach(takes, index, take)
    {
        errors += take_is_broken(take);
        failures += !take_passed(take) && !take_is_broken(take);
    }
    (void)fputs("  <testsuite name=\"", stream);
    put_escaped(stream, string_of(scene, "file"));
    (void)fprintf(stream, "\" tests=\"%zu\" failures=\"%zu\" errors=\"%zu\">\n", json_array_size(takes), failures,
                  errors);
    json_array_foreach(takes, index, take)
    {
        (void)fputs("    <testcase classname=\"", stream);
        put_escaped(stream, string_of(take, "title"));
        (void)fprintf(stream, "\" name=\"seed %lld\" time=\"%.3f\">\n",
                      (long long)json_integer_value(json_object_get(take, "seed")), real_of(take, "elapsed_s"));
        (void)fprintf(stream, "      <properties><property name=\"simulated_s\" value=\"%.6f\"/></properties>\n",
                      real_of(take, "simulated_s"));
        if (!take_passed(take))
            put_failure(stream, take);
        (void)fputs("    </testcase>\n", stream);
    }
    (void)fputs("  </testsuite>\n", stream);
}

bool takes_may_write_junit(const char *path)
{
    char begin[sizeof junit_begin - 1];
    FILE *file = fopen(path, "rb");
    if (file == NULL)
        return errno == ENOENT || complain(path, "cannot write it: %s", strerror(errno));
    bool ours = fread(begin, 1, sizeof begin, file) == sizeof begin && memcmp(begin, junit_begin, sizeof begin) == 0;
    (void)fclose(file);
    return ours || complain(path, "it is there, and was not written by --junit: move it away, or take another name");
}

bool takes_write_junit(const char *path, const json_t *scenes)
{
    char *text = NULL;
    size_t length = 0;
    size_t index;
    const json_t *scene;
    FILE *stream = open_memstream(&text, &length);
    if (stream == NULL)
        return complain(path, "there is no memory for it");
    (void)fputs(junit_begin, stream);
    json_array_foreach(scenes, index, scene)
    {
        put_suite(stream, scene);
    }
    (void)fputs("</testsuites>\n", stream);
    (void)fclose(stream);
    bool good = write_generated(path, text, length);
    free(text);
    return good;
}
