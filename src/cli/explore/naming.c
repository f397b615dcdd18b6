/* What is named at the prompt. */
#include "cli/explore/naming.h"

#include <stdio.h>
#include <string.h>

#include "cli/explore/doing.h"

/* The longest name of a characteristic, or an input, that `text` begins with; NULL if none. `*rest` is what follows. */
const char *explorer_name_in(const struct explorer *explorer, const char *text, bool inputs, const char **rest)
{
    const struct ys_design *design = explorer->scene->actors[EXPLORED_DEVICE].design;
    const struct ys_device *device = ys_stage_device(explorer->stage, EXPLORED_DEVICE);
    const char *found = NULL;
    size_t longest = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const char *name = design->services[i].characteristics[j].name;
            size_t length = strlen(name);
            if (length > longest && strncmp(text, name, length) == 0 && (text[length] == '\0' || text[length] == ' ')) {
                found = name;
                longest = length;
            }
        }
    }
    const char *name;
    for (size_t i = 0; inputs && (name = ys_device_input(device, i)) != NULL; i++) {
        size_t length = strlen(name);
        if (length > longest && strncmp(text, name, length) == 0 && (text[length] == '\0' || text[length] == ' ')) {
            found = name;
            longest = length;
        }
    }
    *rest = text + longest + strspn(text + longest, " ");
    return found;
}

/* A name and, behind it, a value. False after a line. */
bool explorer_split(struct explorer *explorer, const char *rest, bool inputs, char name[EXPLORER_NAME],
                    const char **value)
{
    const char *found = explorer_name_in(explorer, rest, inputs, value);
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
