/* Names of a definition: no two may be one in C. */
#include "design/checking/check_names.h"

#include <stdlib.h>
#include <string.h>

#include "design/making/identifiers.h"
#include "design/model/memory.h"

struct named {
    const char *id;
    const char *name;
    struct ys_place place;
    size_t order;
};

static int compare_named(const void *a, const void *b)
{
    const struct named *left = a;
    const struct named *right = b;
    int order = strcmp(left->id, right->id);
    if (order != 0)
        return order;
    return left->order < right->order ? -1 : 1;
}

/* Two names that are one in C. Sorted, so that a thousand take no time. */
static void check_names(struct ys_design *design, struct named *names, size_t count, const char *what)
{
    if (names != NULL)
        qsort(names, count, sizeof *names, compare_named);
    for (size_t i = 1; names != NULL && i < count; i++) {
        if (strcmp(names[i - 1].id, names[i].id) == 0)
            ys_findings_add(&design->findings, YS_ERROR, "name-clash", names[i].place,
                            "the %s \"%s\" has the same name in C as \"%s\": rename one", what, names[i].name,
                            names[i - 1].name);
    }
}

static int compare_identifiers(const void *a, const void *b)
{
    const struct ys_identifier *left = a;
    const struct ys_identifier *right = b;
    int order = strcmp(left->text, right->text);
    if (order != 0)
        return order;
    return left->order < right->order ? -1 : 1;
}

void ys_check_identifiers(struct ys_design *design, const struct ys_layout *layout)
{
    size_t count;
    struct ys_identifier *list = ys_identifiers_new(design, layout, &count);
    qsort(list, count, sizeof *list, compare_identifiers);
    for (size_t i = 1; i < count; i++) {
        if (strcmp(list[i - 1].text, list[i].text) != 0)
            continue;
        const struct ys_identifier *said = list[i].owner != NULL ? &list[i] : &list[i - 1];
        const char *other = said == &list[i] ? list[i - 1].owner : NULL;
        if (other == NULL)
            ys_findings_add(&design->findings, YS_ERROR, "name-clash", said->place,
                            "\"%s\" gives %s in C, which the table needs itself: rename it", said->owner, said->text);
        else
            ys_findings_add(&design->findings, YS_ERROR, "name-clash", said->place,
                            "\"%s\" gives %s in C, as \"%s\" does: rename one", said->owner, said->text, other);
    }
    ys_identifiers_free(list, count);
}

void ys_check_names(struct ys_design *design)
{
    struct named *services = NULL;
    struct named *characteristics = NULL;
    size_t service_count = 0;
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        if (service->id != NULL) {
            services = ys_grow(services, service_count, sizeof *services);
            services[service_count] = (struct named){service->id, service->name, service->place, service_count};
            service_count++;
        }
        for (size_t j = 0; j < service->characteristic_count; j++) {
            const struct ys_characteristic *one = &service->characteristics[j];
            if (one->id == NULL)
                continue;
            characteristics = ys_grow(characteristics, count, sizeof *characteristics);
            characteristics[count] = (struct named){one->id, one->name, one->place, count};
            count++;
        }
    }
    check_names(design, services, service_count, "service");
    check_names(design, characteristics, count, "characteristic");
    free(services);
    free(characteristics);
}
