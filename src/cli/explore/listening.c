/* Listening at the prompt. */
#include "cli/explore/listening.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>
#include <yarnswift/sets.h>

#include "cli/explore/doing.h"
#include "cli/shared/say.h"
#include "design/model/memory.h"
#include "design/model/words.h"
#include "design/reading/catalogue.h"

/* Who is shown; what is not said is not asked for. */
struct filter {
    uint64_t us;
    char name[64]; /* how it begins */
    struct ys_uuid service;
    bool has_service;
    bool has_least;
    int least_dbm;
};

/* A service by its name in one of the definitions, its adopted name, or its UUID. */
static bool find_service(const struct explorer *explorer, const char *text, struct ys_uuid *uuid)
{
    for (size_t i = 0; i < explorer->central; i++) {
        const struct ys_service *service = ys_service_named(explorer->scene->actors[i].design, text);
        if (service != NULL) {
            *uuid = service->uuid;
            return true;
        }
    }
    const struct ys_adopted *adopted = ys_adopted_by_name(YS_ADOPTED_SERVICE, text);
    if (adopted != NULL)
        *uuid = ys_uuid_of(adopted->number);
    return adopted != NULL || ys_uuid_parse(text, strlen(text), uuid);
}

static bool take_least(const char *text, struct filter *filter)
{
    char *end = NULL;
    long dbm = strtol(text, &end, 10);
    end += strspn(end, " ");
    filter->has_least = true;
    filter->least_dbm = (int)dbm;
    return end != text && dbm >= -127 && dbm <= 20 && (*end == '\0' || strcmp(end, "dBm") == 0);
}

/* Cuts the next part, up to a word with which another begins, off `*rest`. */
static char *next_part(char **rest)
{
    static const char *const begins[] = {" name ", " service ", " at least "};
    char *part = *rest;
    char *end = NULL;
    for (size_t i = 0; i < sizeof begins / sizeof begins[0]; i++) {
        char *found = strstr(part + 1, begins[i]);
        if (found != NULL && (end == NULL || found < end))
            end = found;
    }
    *rest = end != NULL ? end + 1 : part + strlen(part);
    if (end != NULL)
        *end = '\0';
    return part;
}

static bool read_filter(struct explorer *explorer, const char *text, struct filter *filter)
{
    char line[1024];
    char *rest = line;
    (void)snprintf(line, sizeof line, "%s", text);
    *filter = (struct filter){.us = 3000000};
    while (*rest != '\0') {
        const char *part = next_part(&rest);
        if (strncmp(part, "name ", 5) == 0) {
            (void)snprintf(filter->name, sizeof filter->name, "%s", part + 5);
        } else if (strncmp(part, "service ", 8) == 0) {
            filter->has_service = find_service(explorer, part + 8, &filter->service);
            if (!filter->has_service) {
                explorer_refuse(explorer,
                                "there is no service \"%s\": name one of the definition, an adopted one, or its UUID",
                                part + 8);
                return false;
            }
        } else if (strncmp(part, "at least ", 9) == 0) {
            if (!take_least(part + 9, filter)) {
                explorer_refuse(explorer, "at least takes a strength, such as -70 dBm");
                return false;
            }
        } else if (!ys_duration_parse(part, &filter->us) || filter->us == 0) {
            explorer_refuse(explorer, "listen takes a time, such as 3 s, and whom to show: name, service, at least");
            return false;
        }
    }
    return true;
}

static bool is_shown(const struct filter *filter, const struct ys_advertiser *heard)
{
    return heard->packets > 0 && strncmp(heard->name, filter->name, strlen(filter->name)) == 0 &&
           (!filter->has_service || ys_ad_has_service(heard->data, heard->length, &filter->service)) &&
           (!filter->has_least || (heard->rssi_dbm != 127 && heard->rssi_dbm >= filter->least_dbm));
}

/* The services that an advertisement promises, as far as a definition names them. */
static void put_services(const struct explorer *explorer, const struct ys_advertiser *heard)
{
    const char *between = ", offers ";
    for (size_t i = 0; i < explorer->central; i++) {
        const struct ys_design *design = explorer->scene->actors[i].design;
        for (size_t j = 0; j < design->service_count; j++) {
            const struct ys_service *service = &design->services[j];
            bool named = false; /* by a definition before */
            for (size_t k = 0; k < i; k++)
                named |= ys_design_find_service(explorer->scene->actors[k].design, &service->uuid) != NULL;
            if (named || !ys_ad_has_service(heard->data, heard->length, &service->uuid))
                continue;
            (void)printf("%s%s", between, service->name);
            between = ", ";
        }
    }
}

static void put_heard(const struct explorer *explorer, const struct ys_advertiser *heard)
{
    char address[YS_ADDRESS_TEXT_SIZE];
    char strength[16] = "?";
    if (heard->rssi_dbm != 127)
        (void)snprintf(strength, sizeof strength, "%d dBm", heard->rssi_dbm);
    (void)printf("  %-17s  %8s  ", ys_address_format(&heard->address, address), strength);
    if (heard->name[0] != '\0') {
        (void)putchar('"');
        put_plain(stdout, heard->name);
        (void)printf("\"%*s", (int)(strlen(heard->name) < 20 ? 20 - strlen(heard->name) : 0), "");
    } else {
        (void)printf("%-22s", "(no name)");
    }
    (void)printf(" %s%s", heard->connectable ? "connectable" : "not connectable",
                 heard->phy == YS_CODED ? ", LE Coded"
                 : heard->extended      ? ", extended"
                                        : "");
    put_services(explorer, heard);
    (void)putchar('\n');
}

static int strength_of(const struct ys_advertiser *heard)
{
    return heard->rssi_dbm != 127 ? heard->rssi_dbm : -128;
}

/* The strongest first. */
static int compare_strengths(const void *a, const void *b)
{
    const struct ys_advertiser *left = *(const struct ys_advertiser *const *)a;
    const struct ys_advertiser *right = *(const struct ys_advertiser *const *)b;
    int order = strength_of(right) - strength_of(left);
    return order != 0 ? order : memcmp(left->address.bytes, right->address.bytes, sizeof left->address.bytes);
}

void listening_run(struct explorer *explorer, const char *rest)
{
    static const struct ys_wanted nobody = {.name = NULL};
    const struct ys_advertiser *list[YS_ADVERTISERS_MOST];
    const struct ys_advertiser *heard;
    struct ys_central *central = explorer_central(explorer);
    struct filter filter;
    size_t shown = 0;
    size_t others = 0;
    if (!read_filter(explorer, rest, &filter))
        return;
    struct ys_task *task = ys_new(sizeof *task);
    explorer_keep(explorer, task);
    explorer->silent = true;
    ys_begin_find(task, central, &nobody, filter.us * YS_NS_PER_US);
    bool scans = !task->done;
    ys_world_run(ys_stage_world(explorer->stage), filter.us * YS_NS_PER_US);
    explorer->silent = false;
    if (!scans) {
        explorer_refuse(explorer, "%s", task->came);
        return;
    }
    for (size_t i = 0; (heard = ys_central_advertiser(central, i)) != NULL; i++) {
        if (is_shown(&filter, heard))
            list[shown++] = heard;
        else
            others += heard->packets > 0;
    }
    if (shown > 0)
        qsort(list, shown, sizeof(const struct ys_advertiser *), compare_strengths);
    for (size_t i = 0; i < shown; i++)
        put_heard(explorer, list[i]);
    if (shown == 0)
        (void)printf("  heard nobody%s\n", others > 0 ? " of these" : "");
    if (others > 0)
        (void)printf("  and %zu other%s\n", others, others == 1 ? "" : "s");
}
