/* A prompt: a line with history, editing and completion while the world runs; or lines from a pipe. */
#ifndef CLI_EXPLORE_PROMPT_H
#define CLI_EXPLORE_PROMPT_H

#include <stdbool.h>
#include <stddef.h>

struct prompt;

/* What the owner of a prompt does. */
struct prompt_owner {
    void *context;
    const char *(*text)(void *context); /* of the prompt */
    /* Called about 25 times a second while the user types. */
    void (*idle)(void *context, unsigned long passed_us);
    /* The words that a line could go on with from its byte `*from` on: fills in at most `most`, which stay the owner's
     * until the next call. */
    size_t (*complete)(void *context, const char *line, size_t *from, const char **words, size_t most);
};

/* On the terminal, if there is one; otherwise it reads lines and echoes them. NULL if there is no memory. */
struct prompt *prompt_new(const struct prompt_owner *owner);
void prompt_free(struct prompt *prompt);
bool prompt_is_terminal(const struct prompt *prompt);

/* The next line, without its end, until the next call; NULL at the end of the input. */
const char *prompt_next(struct prompt *prompt);

/* Call these before and after printing, so that the output does not mix with the line that is being typed. */
void prompt_hide(struct prompt *prompt);
void prompt_show(struct prompt *prompt);

#endif
