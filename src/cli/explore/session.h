/* What was done at a prompt, to be saved as a scene that passes. */
#ifndef CLI_EXPLORE_SESSION_H
#define CLI_EXPLORE_SESSION_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <jansson.h>

/* A step that was done: its virtual times, and the expectation that is derived from its result. */
struct session_step {
    json_t *step;
    uint64_t began_ns;
    uint64_t ended_ns;
};

struct session {
    struct session_step *steps;
    size_t count;
};

/* Adds a step, a mapping or the text of one in braces, which is the session's from then on. */
void session_add(struct session *session, json_t *step, uint64_t began_ns, uint64_t ended_ns);

/* Writes the session as a scene with these devices and centrals; pauses between steps become waits. False after a line
 * if that fails; an existing file is not overwritten. */
bool session_save(const struct session *session, const char *path, const json_t *head);

void session_clear(struct session *session);

#endif
