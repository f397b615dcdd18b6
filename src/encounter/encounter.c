/* An encounter, and the text of its scene. */
#include "encounter/encounter.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"

char *ys_encounter_quoted(const char *text)
{
    char *to = ys_new(4 * strlen(text) + 3);
    size_t length = 0;
    to[length++] = '"';
    for (; *text != '\0'; text++) {
        unsigned char byte = (unsigned char)*text;
        if (byte < 0x20 || byte == 0x7f) {
            length += (size_t)sprintf(to + length, "\\x%02x", byte);
            continue;
        }
        if (*text == '"' || *text == '\\')
            to[length++] = '\\';
        to[length++] = *text;
    }
    to[length++] = '"';
    to[length] = '\0';
    return to;
}

void ys_encounter_free(struct ys_encounter *encounter)
{
    if (encounter == NULL)
        return;
    for (size_t i = 0; i < encounter->central_count; i++)
        free(encounter->centrals[i].text);
    for (size_t i = 0; i < encounter->step_count; i++) {
        free(encounter->steps[i].text);
        free(encounter->steps[i].topic);
    }
    free(encounter->steps);
    free(encounter);
}

/* Whether a step that remains uses this actor. */
static bool is_there(const struct ys_encounter *encounter, char name)
{
    const char who[] = {'w', 'h', 'o', ':', ' ', name, '\0'};
    const char be[] = {'b', 'e', ':', ' ', name, '\0'};
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (!encounter->steps[i].left_out && strstr(encounter->steps[i].text, who) != NULL)
            return true;
    }
    for (size_t i = 0; i < encounter->central_count; i++) {
        if (encounter->centrals[i].name != name && strstr(encounter->centrals[i].text, be) != NULL &&
            is_there(encounter, encounter->centrals[i].name))
            return true;
    }
    return false;
}

char *ys_encounter_scene(const struct ys_subject *subject, const struct ys_encounter *encounter, const char *comment,
                         int *lines)
{
    char *text = NULL;
    size_t size = 0;
    FILE *stream = open_memstream(&text, &size);
    int line = 1;
    if (stream == NULL)
        abort();
    for (const char *at = comment != NULL ? comment : ""; *at != '\0'; at++) {
        (void)fputc(*at, stream);
        line += *at == '\n';
    }
    (void)fprintf(stream, "scene: encounter %llu\naudit: true\n", (unsigned long long)encounter->choice.number);
    line += 2;
    if (encounter->far) {
        (void)fprintf(stream, "air: outdoors\n");
        line++;
    }
    char *definition = ys_encounter_quoted(subject->definition);
    char *firmware = subject->firmware != NULL ? ys_encounter_quoted(subject->firmware) : NULL;
    (void)fprintf(stream, "devices:\n  - {name: d, definition: %s", definition);
    if (firmware != NULL)
        (void)fprintf(stream, ", firmware: %s", firmware);
    free(definition);
    free(firmware);
    (void)fprintf(stream, "}\ncentrals:\n");
    line += 3;
    for (size_t i = 0; i < encounter->central_count; i++) {
        if (!is_there(encounter, encounter->centrals[i].name))
            continue;
        (void)fprintf(stream, "  - %s\n", encounter->centrals[i].text);
        line++;
    }
    (void)fprintf(stream, "steps:\n");
    line++;
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (lines != NULL)
            lines[i] = encounter->steps[i].left_out ? 0 : line;
        if (encounter->steps[i].left_out)
            continue;
        (void)fprintf(stream, "  - %s\n", encounter->steps[i].text);
        line++;
    }
    if (fclose(stream) != 0)
        abort();
    return text;
}
