/* What is named at the prompt. */
#include "cli/explore/naming.h"

#include <stdio.h>
#include <string.h>

#include "cli/explore/doing.h"

static bool is_whole(const char *text, size_t length)
{
    return text[length] == '\0' || text[length] == ' ';
}

bool explorer_take_device(struct explorer *explorer, const char **text)
{
    size_t longest = 0;
    for (size_t i = 0; i < explorer->central; i++) {
        const char *name = explorer->scene->actors[i].name.text;
        size_t length = strlen(name);
        if (length <= longest || strncmp(*text, name, length) != 0 || !is_whole(*text, length))
            continue;
        longest = length;
        explorer->current = i;
    }
    *text += longest + strspn(*text + longest, " ");
    return longest > 0;
}

void explorer_cut_device(struct explorer *explorer, char *text)
{
    static const char of[] = " of ";
    char *last = NULL;
    for (char *found = text; (found = strstr(found, of)) != NULL; found++)
        last = found;
    const char *name = last != NULL ? last + strlen(of) : "";
    for (size_t i = 0; i < explorer->central && last != NULL; i++) {
        if (strcmp(name, explorer->scene->actors[i].name.text) != 0)
            continue;
        explorer->current = i;
        *last = '\0';
        return;
    }
}

static const char *longer(const char *text, const char *name, const char *found, size_t *longest)
{
    size_t length = strlen(name);
    if (length <= *longest || strncmp(text, name, length) != 0 || !is_whole(text, length))
        return found;
    *longest = length;
    return name;
}

static const char *name_of_device(const struct explorer *explorer, size_t index, const char *text, bool inputs,
                                  size_t *longest)
{
    const struct ys_design *design = explorer->scene->actors[index].design;
    const struct ys_device *device = ys_stage_device(explorer->stage, index);
    const char *found = NULL;
    const char *name;
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++)
            found = longer(text, design->services[i].characteristics[j].name, found, longest);
    }
    for (size_t i = 0; inputs && (name = ys_device_input(device, i)) != NULL; i++)
        found = longer(text, name, found, longest);
    return found;
}

const char *explorer_name_in(const struct explorer *explorer, const char *text, bool inputs, const char **rest)
{
    size_t longest = 0;
    const char *found = name_of_device(explorer, explorer->current, text, inputs, &longest);
    *rest = text + longest + strspn(text + longest, " ");
    return found;
}

/* If the current device has nothing of that name, another one is chosen: an input of any device, or a characteristic of
 * a connected one. */
static const char *name_of_others(struct explorer *explorer, const char *text, bool inputs, const char **rest)
{
    for (size_t i = 0; i < explorer->central; i++) {
        size_t longest = 0;
        const char *found = name_of_device(explorer, i, text, inputs, &longest);
        if (found == NULL || (!inputs && explorer_connection(explorer, i) == NULL))
            continue;
        explorer->current = i;
        *rest = text + longest + strspn(text + longest, " ");
        return found;
    }
    return NULL;
}

/* A name and, after it, a value. False after a line. */
bool explorer_split(struct explorer *explorer, const char *rest, bool inputs, char name[EXPLORER_NAME],
                    const char **value)
{
    const char *found = explorer_name_in(explorer, rest, inputs, value);
    if (found == NULL)
        found = name_of_others(explorer, rest, inputs, value);
    if (found == NULL && strncmp(rest, "0x", 2) == 0) {
        (void)snprintf(name, EXPLORER_NAME, "%.*s", (int)strcspn(rest, " "), rest);
        *value = rest + strcspn(rest, " ");
        *value += strspn(*value, " ");
        return true;
    }
    if (found == NULL && rest[0] == '\0') {
        explorer_refuse(explorer, "name a characteristic; tree lists them");
        return false;
    }
    (void)snprintf(name, EXPLORER_NAME, "%s", found != NULL ? found : rest);
    if (found == NULL) /* the step says so */
        *value = "?";
    return true;
}
