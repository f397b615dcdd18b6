/* A result as a page. All data from outside goes in as JSON, in which no tag can begin; the script in the page inserts
 * it as text only. */
#include "cli/page/page.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/version.h"

#define SOURCE_MOST 200000 /* bytes of a definition or scene that are shown */

/* The parts of the page (made at build time). */
extern const char page_style[];
extern const char page_script[];

static struct {
    int count;
    char **words;
} command;

void page_command(int argc, char **argv)
{
    command.count = argc;
    command.words = argv;
}

json_t *page_text(const char *text)
{
    json_t *string = json_string(text);
    return string != NULL ? string : json_string("(not a text)");
}

/* The words of the command line after the program's path; the first of them is "yarnswift VERB". */
static json_t *command_json(void)
{
    json_t *words = json_array();
    for (int i = 1; i < command.count; i++)
        (void)json_array_append_new(words, page_text(command.words[i]));
    return words;
}

static bool is_shown(const char *path)
{
    const char *ending = strrchr(path, '.');
    return ending != NULL && (strcmp(ending, ".yaml") == 0 || strcmp(ending, ".yml") == 0);
}

/* The text of a file; null of one that is no text, or is longer than a page shows. */
static json_t *source_json(const char *path)
{
    FILE *file = is_shown(path) ? fopen(path, "rb") : NULL;
    char *text = malloc(SOURCE_MOST + 1);
    json_t *string = NULL;
    if (file != NULL && text != NULL) {
        size_t length = fread(text, 1, SOURCE_MOST + 1, file);
        string = length <= SOURCE_MOST ? json_stringn(text, length) : NULL;
    }
    if (file != NULL)
        (void)fclose(file);
    free(text);
    return string != NULL ? string : json_null();
}

/* The files that were named, each with its text if it is a definition or a scene. */
static json_t *files_json(const struct files *named)
{
    json_t *files = json_array();
    for (int i = 0; i < named->count; i++) {
        const char *path = named->paths[i];
        if (access(path, F_OK) == 0)
            (void)json_array_append_new(files,
                                        json_pack("{s:o, s:o}", "path", page_text(path), "text", source_json(path)));
    }
    return files;
}

static json_t *data_of(const struct page *page, const struct files *named)
{
    static const char *const verdicts[] = {"none", "good", "bad"};
    json_t *data =
        json_pack("{s:s, s:s, s:o, s:o, s:s, s:o, s:o, s:O}", "version", version_text(), "verb", page->verb, "command",
                  command_json(), "title", page_text(page->title), "verdict", verdicts[page->verdict], "summary",
                  page_text(page->summary), "files", files_json(named), "result", page->result);
    if (page->more != NULL)
        (void)json_object_set(data, "more", page->more);
    return data;
}

/* JSON in ASCII, in which no tag can begin. */
static void put_json(FILE *stream, const json_t *data)
{
    char *text = json_dumps(data, JSON_COMPACT | JSON_ENSURE_ASCII | JSON_REAL_PRECISION(12));
    for (const char *next = text; next != NULL && *next != '\0'; next++) {
        if (*next == '<' || *next == '>' || *next == '&')
            (void)fprintf(stream, "\\u%04x", (unsigned)*next);
        else
            (void)fputc(*next, stream);
    }
    free(text);
}

bool page_write(const struct common *common, const struct page *page)
{
    struct ys_output output;
    if (!saving_begin(&output, common->page, common->replaces))
        return false;
    json_t *data = data_of(page, &common->files);
    (void)fprintf(output.stream,
                  "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                  "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
                  "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; "
                  "style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:\">\n"
                  "<link rel=\"icon\" href=\"data:,\">\n"
                  "<title>yarnswift %s</title>\n<style>\n%s</style>\n</head>\n<body>\n<main></main>\n"
                  "<noscript>This page needs scripts to draw the result, which it holds as JSON.</noscript>\n"
                  "<script type=\"application/json\" id=\"data\">",
                  page->verb, page_style);
    put_json(output.stream, data);
    (void)fprintf(output.stream, "</script>\n<script>\n%s</script>\n</body>\n</html>\n", page_script);
    json_decref(data);
    return saving_end(&output, true);
}
