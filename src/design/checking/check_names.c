/* Names of a definition: no two may be one in C. */
#include "design/checking/check_names.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/memory.h"

struct named {
    const char *id;
    const char *name;
    struct ys_place place;
    size_t order;
    char *made; /* the id, where it is not a name's own */
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

/* Adds the constant that a name gives besides its own: NAME_CONFIGURATION, NAME_SERVICE. */
static struct named *add_made(struct named *names, size_t *count, const char *id, const char *suffix, const char *name,
                              struct ys_place place)
{
    size_t size = strlen(id) + strlen(suffix) + 1;
    char *made = ys_new(size);
    (void)snprintf(made, size, "%s%s", id, suffix);
    names = ys_grow(names, *count, sizeof *names);
    names[*count] = (struct named){made, name, place, *count, made};
    (*count)++;
    return names;
}

/* Constants for handles: a characteristic called "x configuration" must not meet the configuration of "x". */
static void check_constants(struct ys_design *design)
{
    struct named *names = NULL;
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        if (service->id != NULL)
            names = add_made(names, &count, service->id, "_service", service->name, service->place);
        for (size_t j = 0; j < service->characteristic_count; j++) {
            const struct ys_characteristic *one = &service->characteristics[j];
            if (one->id == NULL)
                continue;
            names = ys_grow(names, count, sizeof *names);
            names[count] = (struct named){one->id, one->name, one->place, count, NULL};
            count++;
            if (ys_is_notifiable(one))
                names = add_made(names, &count, one->id, "_configuration", one->name, one->place);
            if (one->has_range) {
                names = add_made(names, &count, one->id, "_least", one->name, one->place);
                names = add_made(names, &count, one->id, "_greatest", one->name, one->place);
            }
        }
    }
    if (names != NULL)
        qsort(names, count, sizeof *names, compare_named);
    for (size_t i = 1; names != NULL && i < count; i++) {
        /* two names of one kind have been said */
        if (strcmp(names[i - 1].id, names[i].id) == 0 && (names[i - 1].made == NULL) != (names[i].made == NULL))
            ys_findings_add(&design->findings, YS_ERROR, "name-clash", names[i].place,
                            "a constant of \"%s\" has the same name in C as one of \"%s\": rename one", names[i].name,
                            names[i - 1].name);
    }
    for (size_t i = 0; i < count; i++)
        free(names[i].made);
    free(names);
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
            services[service_count] = (struct named){service->id, service->name, service->place, service_count, NULL};
            service_count++;
        }
        for (size_t j = 0; j < service->characteristic_count; j++) {
            const struct ys_characteristic *one = &service->characteristics[j];
            if (one->id == NULL)
                continue;
            characteristics = ys_grow(characteristics, count, sizeof *characteristics);
            characteristics[count] = (struct named){one->id, one->name, one->place, count, NULL};
            count++;
        }
    }
    check_names(design, services, service_count, "service");
    check_names(design, characteristics, count, "characteristic");
    check_constants(design);
    free(services);
    free(characteristics);
}
