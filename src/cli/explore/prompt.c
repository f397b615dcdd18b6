/* A prompt. */
#include "cli/explore/prompt.h"

#include <errno.h>
#include <limits.h>
#include <locale.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>
#include <wchar.h>

#include <histedit.h>

#include "cli/shared/say.h"

#define IDLE_MS      40
#define HISTORY_SIZE 500
#define WORDS_MOST   256

struct prompt {
    struct prompt_owner owner;
    EditLine *line_editor; /* NULL: there is no terminal */
    History *history;
    struct timespec last;
    bool typing;
    bool hidden;
    char *text;
    size_t size;
};

static char *text_of(EditLine *editor)
{
    struct prompt *prompt = NULL;
    (void)el_get(editor, EL_CLIENTDATA, &prompt);
    static char text[64];
    (void)snprintf(text, sizeof text, "%s", prompt->owner.text(prompt->owner.context));
    return text;
}

static unsigned long passed_us(struct prompt *prompt)
{
    struct timespec now;
    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    long us = (now.tv_sec - prompt->last.tv_sec) * 1000000L + (now.tv_nsec - prompt->last.tv_nsec) / 1000;
    prompt->last = now;
    return us > 0 ? (unsigned long)us : 0;
}

/* One character, of as many bytes as it has. */
static int read_character(wchar_t *character)
{
    mbstate_t state;
    memset(&state, 0, sizeof state);
    for (int i = 0; i < MB_LEN_MAX; i++) {
        char byte;
        if (read(STDIN_FILENO, &byte, 1) != 1)
            return 0;
        size_t used = mbrtowc(character, &byte, 1, &state);
        if (used == (size_t)-1) /* it is none: the byte as it is */
            *character = (wchar_t)(unsigned char)byte;
        if (used != (size_t)-2)
            return 1;
    }
    return 0;
}

/* The next character that is typed; the world goes on until then. */
static int next_character(EditLine *editor, wchar_t *character)
{
    struct prompt *prompt = NULL;
    (void)el_get(editor, EL_CLIENTDATA, &prompt);
    struct pollfd input = {.fd = STDIN_FILENO, .events = POLLIN};
    for (;;) {
        int ready = poll(&input, 1, IDLE_MS);
        prompt->owner.idle(prompt->owner.context, passed_us(prompt));
        if (prompt->hidden) {
            prompt->hidden = false;
            (void)el_set(editor, EL_REFRESH);
        }
        if (ready > 0)
            break;
        if (ready < 0 && errno != EINTR)
            return -1;
    }
    return read_character(character);
}

/* completion */

static size_t common_length(const char **words, size_t count)
{
    size_t length = strlen(words[0]);
    for (size_t i = 1; i < count; i++) {
        size_t same = 0;
        while (same < length && words[0][same] == words[i][same])
            same++;
        length = same;
    }
    return length;
}

static unsigned char complete(EditLine *editor, int character)
{
    struct prompt *prompt = NULL;
    const char *words[WORDS_MOST];
    char line[512];
    size_t from = 0;
    (void)character;
    (void)el_get(editor, EL_CLIENTDATA, &prompt);
    const LineInfo *info = el_line(editor);
    (void)snprintf(line, sizeof line, "%.*s", (int)(info->cursor - info->buffer), info->buffer);
    size_t count = prompt->owner.complete(prompt->owner.context, line, &from, words, WORDS_MOST);
    if (count == 0)
        return CC_REFRESH_BEEP;
    size_t typed = strlen(line) - from;
    size_t common = common_length(words, count);
    if (common > typed || count == 1) {
        char rest[256];
        (void)snprintf(rest, sizeof rest, "%.*s%s", (int)(common - typed), words[0] + typed, count == 1 ? " " : "");
        return el_insertstr(editor, rest) == 0 ? CC_REFRESH : CC_REFRESH_BEEP;
    }
    prompt_hide(prompt);
    for (size_t i = 0; i < count; i++)
        (void)printf("  %s\n", words[i]);
    (void)fflush(stdout);
    prompt->hidden = false;
    return CC_REDISPLAY;
}

/* making one */

static bool open_terminal(struct prompt *prompt)
{
    HistEvent event;
    (void)setlocale(LC_CTYPE, "");
    prompt->line_editor = el_init("yarnswift", stdin, stdout, stderr);
    prompt->history = history_init();
    if (prompt->line_editor == NULL || prompt->history == NULL)
        return false;
    (void)history(prompt->history, &event, H_SETSIZE, HISTORY_SIZE);
    (void)history(prompt->history, &event, H_SETUNIQUE, 1);
    (void)el_set(prompt->line_editor, EL_CLIENTDATA, prompt);
    (void)el_set(prompt->line_editor, EL_PROMPT, text_of);
    (void)el_set(prompt->line_editor, EL_EDITOR, "emacs");
    (void)el_set(prompt->line_editor, EL_SIGNAL, 1);
    (void)el_set(prompt->line_editor, EL_HIST, history, prompt->history);
    (void)el_set(prompt->line_editor, EL_ADDFN, "complete", "Completes names and values", complete);
    (void)el_set(prompt->line_editor, EL_BIND, "^I", "complete", NULL);
    (void)el_set(prompt->line_editor, EL_BIND, "^R", "em-inc-search-prev", NULL);
    (void)el_wset(prompt->line_editor, EL_GETCFN, next_character);
    return true;
}

struct prompt *prompt_new(const struct prompt_owner *owner)
{
    struct prompt *prompt = calloc(1, sizeof *prompt);
    if (prompt == NULL)
        return NULL;
    prompt->owner = *owner;
    (void)clock_gettime(CLOCK_MONOTONIC, &prompt->last);
    bool terminal = isatty(STDIN_FILENO) != 0 && isatty(STDOUT_FILENO) != 0;
    if (!terminal || open_terminal(prompt))
        return prompt;
    prompt_free(prompt);
    return NULL;
}

void prompt_free(struct prompt *prompt)
{
    if (prompt->history != NULL)
        history_end(prompt->history);
    if (prompt->line_editor != NULL)
        el_end(prompt->line_editor);
    free(prompt->text);
    free(prompt);
}

bool prompt_is_terminal(const struct prompt *prompt)
{
    return prompt->line_editor != NULL;
}

static const char *next_typed(struct prompt *prompt)
{
    HistEvent event;
    int count = 0;
    (void)passed_us(prompt); /* what a command took is not waited for again */
    prompt->typing = true;
    const char *line = el_gets(prompt->line_editor, &count);
    prompt->typing = false;
    if (line == NULL || count <= 0)
        return NULL;
    if (line[strspn(line, " \t\n")] != '\0')
        (void)history(prompt->history, &event, H_ENTER, line);
    free(prompt->text);
    prompt->text = strdup(line);
    return prompt->text;
}

const char *prompt_next(struct prompt *prompt)
{
    const char *line = prompt->line_editor != NULL                         ? next_typed(prompt)
                       : getline(&prompt->text, &prompt->size, stdin) >= 0 ? prompt->text
                                                                           : NULL;
    if (line == NULL)
        return NULL;
    prompt->text[strcspn(prompt->text, "\r\n")] = '\0';
    if (prompt->line_editor == NULL) {
        (void)fputs(prompt->owner.text(prompt->owner.context), stdout);
        put_plain(stdout, prompt->text);
        (void)putchar('\n');
    }
    return prompt->text;
}

void prompt_hide(struct prompt *prompt)
{
    if (!prompt->typing || prompt->hidden)
        return;
    (void)fputs("\r\033[K", stdout);
    prompt->hidden = true;
}

void prompt_show(struct prompt *prompt)
{
    (void)prompt; /* the line is drawn again when the world stands still */
    (void)fflush(stdout);
}
