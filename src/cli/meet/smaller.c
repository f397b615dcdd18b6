/* Making encounters small that have failed. */
#include <stdlib.h>
#include <string.h>

#include "cli/meet/trials.h"
#include "design/model/memory.h"

/* Of more steps not all pairs are tried. */
#define PAIRS_MOST 20
#define FIRST_MOST 4
#define TIMES_MOST 5

/* A copy of an encounter without some of the remaining steps. */
static struct ys_encounter *without(const struct ys_encounter *encounter, size_t from, size_t count)
{
    struct ys_encounter *copy = ys_new(sizeof *copy);
    size_t at = 0;
    *copy = *encounter;
    copy->steps = ys_new((encounter->step_count + 1) * sizeof *copy->steps);
    for (size_t i = 0; i < encounter->central_count; i++)
        copy->centrals[i].text = ys_copy(encounter->centrals[i].text, strlen(encounter->centrals[i].text));
    for (size_t i = 0; i < encounter->step_count; i++) {
        const struct ys_encounter_step *step = &encounter->steps[i];
        copy->steps[i] = (struct ys_encounter_step){.text = ys_copy(step->text, strlen(step->text)),
                                                    .topic = ys_copy(step->topic, strlen(step->topic)),
                                                    .left_out = step->left_out};
        if (!step->left_out) {
            copy->steps[i].left_out = at >= from && at < from + count;
            at++;
        }
    }
    return copy;
}

/* Plays variants that are smaller; the first that fails in the same way takes its place. */
static bool take_first(const struct trials *trials, struct trial *trial, struct trial *variants, size_t count)
{
    bool taken = false;
    bool played = count > 0 && trials->may_go_on(trials->context) && trials_play(trials, variants, count);
    for (struct trial *variant = variants; variant < variants + count; variant++) {
        if (played && !taken && variant->failed && strcmp(variant->key, trial->key) == 0) {
            struct trial smaller = *variant;
            *variant = *trial;
            *trial = smaller;
            taken = true;
        }
        trial_clear(variant);
    }
    return taken;
}

static bool leave_out(const struct trials *trials, struct trial *trial, size_t length)
{
    size_t left = trial_steps(trial);
    size_t count = (left + length - 1) / length;
    struct trial *variants = ys_new((count + 1) * sizeof *variants);
    for (size_t i = 0; i < count; i++)
        variants[i].encounter = without(trial->encounter, left > (i + 1) * length ? left - (i + 1) * length : 0,
                                        left > (i + 1) * length ? length : left - i * length);
    bool taken = take_first(trials, trial, variants, count);
    free(variants);
    return taken;
}

/* Leaves out one that is left, by its place among these. */
static void drop(struct ys_encounter *encounter, size_t place)
{
    size_t at = 0;
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (encounter->steps[i].left_out)
            continue;
        if (at++ == place) {
            encounter->steps[i].left_out = true;
            return;
        }
    }
}

/* Two that only go together, as coming and going does. */
static bool leave_out_pair(const struct trials *trials, struct trial *trial)
{
    size_t left = trial_steps(trial);
    size_t count = 0;
    if (left < 3 || left > PAIRS_MOST)
        return false;
    struct trial *variants = ys_new(left * left / 2 * sizeof *variants);
    for (size_t i = 0; i + 1 < left; i++) {
        for (size_t j = i + 1; j < left; j++) {
            struct ys_encounter *variant = without(trial->encounter, j, 1);
            drop(variant, i);
            variants[count++].encounter = variant;
        }
    }
    bool taken = take_first(trials, trial, variants, count);
    free(variants);
    return taken;
}

/* A failure that only occurs on repetition: repeats the first steps at once, or the last one several times. */
static struct ys_encounter *again(const struct ys_encounter *encounter, size_t first, size_t times)
{
    struct ys_encounter *copy = without(encounter, 0, 0);
    size_t last = copy->step_count;
    size_t left = 0;
    while (last > 0 && copy->steps[last - 1].left_out)
        last--;
    for (size_t i = 0; i + 1 < last; i++) {
        left += !copy->steps[i].left_out;
        copy->steps[i].left_out |= left > first;
    }
    struct ys_encounter_step *steps = ys_new((copy->step_count + times) * sizeof *steps);
    memcpy(steps, copy->steps, copy->step_count * sizeof *steps);
    free(copy->steps);
    copy->steps = steps;
    const struct ys_encounter_step *done = &steps[last - 1];
    for (size_t i = 1; i < times && last > 0; i++)
        steps[copy->step_count++] = (struct ys_encounter_step){.text = ys_copy(done->text, strlen(done->text)),
                                                               .topic = ys_copy(done->topic, strlen(done->topic))};
    return copy;
}

static bool do_again(const struct trials *trials, struct trial *trial)
{
    size_t left = trial_steps(trial);
    struct trial variants[FIRST_MOST * TIMES_MOST];
    size_t count = 0;
    for (size_t sum = 2; sum < left && sum <= FIRST_MOST + TIMES_MOST; sum++) { /* the shortest first */
        for (size_t first = 1; first <= FIRST_MOST && first < sum; first++) {
            if (sum - first <= TIMES_MOST)
                variants[count++] = (struct trial){.encounter = again(trial->encounter, first, sum - first)};
        }
    }
    return take_first(trials, trial, variants, count);
}

/* Simplifications: a plain central instead of a special one, everybody near, fewer bytes. */
static bool make_plain(const struct trials *trials, struct trial *trial)
{
    struct trial variants[5] = {{.encounter = NULL}};
    size_t count = 0;
    for (size_t i = 0; i < trial->encounter->central_count && count < 4; i++) {
        char plain[] = {'{', 'n', 'a', 'm', 'e', ':', ' ', trial->encounter->centrals[i].name, '}', '\0'};
        if (strcmp(trial->encounter->centrals[i].text, plain) == 0)
            continue;
        struct ys_encounter *variant = without(trial->encounter, 0, 0);
        free(variant->centrals[i].text);
        variant->centrals[i].text = ys_copy(plain, strlen(plain));
        variants[count++].encounter = variant;
    }
    if (trial->encounter->far && count < 5) {
        struct ys_encounter *variant = without(trial->encounter, 0, 0);
        variant->far = false;
        for (size_t i = 0; i < variant->central_count; i++) {
            char *at = strstr(variant->centrals[i].text, ", at: [");
            if (at != NULL)
                (void)memcpy(at, "}", 2);
        }
        variants[count++].encounter = variant;
    }
    return take_first(trials, trial, variants, count);
}

void trial_shrink(const struct trials *trials, struct trial *trial)
{
    for (size_t length = trial_steps(trial) / 2 + 1; length > 0; length = length / 2) {
        while (leave_out(trials, trial, length)) {
        }
    }
    while (leave_out_pair(trials, trial)) {
    }
    (void)do_again(trials, trial);
    while (make_plain(trials, trial)) {
    }
    while (leave_out(trials, trial, 1)) {
    }
}
