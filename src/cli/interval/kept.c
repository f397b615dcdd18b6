#include "cli/interval/kept.h"

#include <stdio.h>
#include <stdlib.h>

#include "design/model/memory.h"

#define NAME_SIZE 32

static void name_search(uint32_t run, char name[NAME_SIZE])
{
    (void)snprintf(name, NAME_SIZE, "search %u", (unsigned)run + 1);
}

/* Times as numbers that are read back bit by bit. */
static bool read_times(const char *text, size_t count, double *found_ms)
{
    for (size_t i = 0; i < count; i++) {
        char *end = NULL;
        found_ms[i] = strtod(text, &end);
        if (end == text)
            return false;
        text = *end == ' ' ? end + 1 : end;
    }
    return *text == '\0';
}

/* While several threads search. */
static enum ys_search_state look_up(void *context, uint32_t run, double *found_ms)
{
    struct kept *kept = context;
    char name[NAME_SIZE];
    char *text = NULL;
    bool mine = share_is_mine(kept->share, run);
    name_search(run, name);
    (void)pthread_mutex_lock(&kept->mutex);
    kept->mine += mine;
    if (kept->store != NULL)
        text = results_get(kept->store, name);
    (void)pthread_mutex_unlock(&kept->mutex);
    bool known = text != NULL && read_times(text, kept->plan->scanner_count, found_ms);
    free(text);
    return known ? YS_SEARCH_KNOWN : mine && !kept->failed ? YS_SEARCH_WANTED : YS_SEARCH_ELSEWHERE;
}

static void take(void *context, uint32_t run, const double *found_ms)
{
    struct kept *kept = context;
    char name[NAME_SIZE];
    char *text = ys_new_text("%.17g", found_ms[0]);
    for (size_t i = 1; i < kept->plan->scanner_count; i++) {
        char *longer = ys_new_text("%s %.17g", text, found_ms[i]);
        free(text);
        text = longer;
    }
    name_search(run, name);
    (void)pthread_mutex_lock(&kept->mutex);
    kept->made++;
    if (kept->store != NULL && !kept->failed)
        kept->failed = !results_put(kept->store, name, text);
    (void)pthread_mutex_unlock(&kept->mutex);
    free(text);
}

/* Searches with another number of runs are the same, as far as both go. */
static char *describe(char *definition, const struct ys_interval_plan *plan)
{
    const char *set = plan->design->sets->name;
    char *about = ys_new_text("searches for %s%s%s, as it is (%016llx), seed %llu, %s, loss %g, bit errors %g, "
                              "crowd %u at %g ms, by",
                              plan->design->name.text, set != NULL ? " as " : "", set != NULL ? set : "",
                              (unsigned long long)share_stamp(&definition, 1), (unsigned long long)plan->seed,
                              plan->any_phase ? "any phase" : "from window 37", plan->loss, plan->bit_errors,
                              (unsigned)plan->crowd, plan->crowd_interval_us / 1e3);
    for (size_t i = 0; i < plan->scanner_count; i++) {
        char *longer = ys_new_text("%s %g of %g ms", about, plan->scanners[i].window_us / 1e3,
                                   plan->scanners[i].interval_us / 1e3);
        free(about);
        about = longer;
    }
    return about;
}

bool kept_begin(struct kept *kept, const struct share *share, const char *who, char *definition,
                struct ys_interval_plan *plan)
{
    *kept = (struct kept){.share = share, .plan = plan, .mutex = PTHREAD_MUTEX_INITIALIZER};
    if (share->results == NULL && share->parts == 1)
        return true;
    if (share->results != NULL) {
        char *about = describe(definition, plan);
        kept->store = results_open(who, share->results, about);
        free(about);
        if (kept->store == NULL)
            return false;
    }
    plan->look_up = look_up;
    plan->take = take;
    plan->keeper = kept;
    return true;
}

void kept_say_undone(struct kept *kept)
{
    char name[NAME_SIZE];
    for (uint32_t run = 0; run < kept->plan->runs; run++) {
        name_search(run, name);
        if (!results_has(kept->store, name))
            share_say_undone(kept->share, name, run);
    }
}

bool kept_end(struct kept *kept, const char *who)
{
    if (kept->share->parts > 1 && !kept->share->undone)
        (void)fprintf(stderr, "%s: part %llu of %llu: %u of %u searches, %u of them made now\n", who, kept->share->part,
                      kept->share->parts, (unsigned)kept->mine, (unsigned)kept->plan->runs, (unsigned)kept->made);
    if (kept->store != NULL)
        results_close(kept->store);
    return !kept->failed;
}
