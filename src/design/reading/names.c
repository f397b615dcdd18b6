/* Names in a definition, as they are read. */
#include "design/reading/names.h"

#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/words.h"

void ys_read_promises(const struct ys_node *node, struct ys_promise **list, size_t *count)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        const char *name = ys_yaml_text(&item);
        if (name == NULL)
            continue;
        *list = ys_grow(*list, *count, sizeof **list);
        (*list)[(*count)++] = (struct ys_promise){.name = name, .place = item.place};
    }
}

void ys_read_name(const struct ys_node *node, char **name, char **id)
{
    const char *text = ys_yaml_text(node);
    if (text == NULL)
        return;
    char *identifier = ys_identifier(text);
    if (identifier == NULL) {
        ys_findings_add(node->findings, YS_ERROR, "name-in-c", node->place,
                        "the name \"%s\" gives no name in C: begin it with a letter from a to z", text);
        return;
    }
    if (*name == NULL) {
        *name = ys_copy(text, strlen(text));
        *id = identifier;
    } else {
        free(identifier);
    }
}
