/* What a step does, as a person says it. */
#include "scene/scene_words.h"

#include <stdarg.h>
#include <stdio.h>

#include "scene/scene.h"
#include "scene/verbs.h"

struct words {
    char *text;
    size_t size;
    size_t used;
};

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
static void
add(struct words *words, const char *format, ...)
{
    va_list arguments;
    if (words->used >= words->size)
        return;
    va_start(arguments, format);
    words->used += (size_t)vsnprintf(words->text + words->used, words->size - words->used, format, arguments);
    va_end(arguments);
}

static void add_text(struct words *words, const char *before, const struct ys_written *written)
{
    if (written->text != NULL)
        add(words, " %s%s", before, written->text);
}

static void add_time(struct words *words, const char *before, const struct ys_counted *us)
{
    if (us->given)
        add(words, " %s %g %s", before, us->number < 1000000 ? (double)us->number / 1e3 : (double)us->number / 1e6,
            us->number < 1000000 ? "ms" : "s");
}

/* States of an actor: power, store, advertising. */
static void add_state(struct words *words, const struct ys_step *step)
{
    static const char *const powers[] = {"", "off", "on", "cycle"};
    static const char *const stores[] = {"", "fails", "works"};
    if (step->verb == YS_VERB_POWER)
        add(words, " %s", powers[step->word]);
    if (step->verb == YS_VERB_STORE)
        add(words, " %s", stores[step->word]);
    if (step->verb == YS_VERB_ADVERTISE)
        add(words, " %s", step->word == 1 ? "true" : "false");
}

void ys_step_say(const struct ys_step *step, char *text, size_t size)
{
    struct words words = {.text = text, .size = size};
    add(&words, "%s", ys_verb_word(step->verb));
    if (step->verb == YS_VERB_EXPECT_LOG || step->verb == YS_VERB_EXPECT_NO_LOG)
        add(&words, " \"%s\"", step->object.text);
    else
        add_text(&words, "", &step->object);
    add_state(&words, step);
    if (step->verb == YS_VERB_WALK)
        add(&words, " to [%g m, %g m]", step->to.x_m, step->to.y_m);
    for (uint64_t left = step->channels, i = 0; left != 0; left >>= 1, i++) {
        if ((left & 1) != 0 && step->channels != (UINT64_C(1) << 40) - 1)
            add(&words, " %u", (unsigned)i);
    }
    if (step->channels == (UINT64_C(1) << 40) - 1)
        add(&words, " all channels");
    if (step->verb == YS_VERB_WAIT)
        add(&words, " %g s", (double)step->wait_us / 1e6);
    add_text(&words, "with passkey: ", &step->passkey_text);
    add_text(&words, "of ", &step->of_text);
    add_text(&words, "field ", &step->field_text);
    add_text(&words, "is ", &step->is_text);
    if (step->between_count == 2)
        add(&words, " between %s and %s", step->between_text[0].text, step->between_text[1].text);
    if (step->rate_count == 2)
        add(&words, " rate %s to %s", step->rate_text[0].text, step->rate_text[1].text);
    for (size_t i = 0; i < step->order_count; i++)
        add(&words, "%s%s", i == 0 ? " in order " : ", ", step->order_text[i].text);
    add_text(&words, "to ", &step->to_text);
    add_text(&words, "to the bytes ", &step->bytes_text);
    if (step->response == 2)
        add(&words, " without response");
    add_time(&words, "for", &step->for_us);
    add_time(&words, "within", &step->within_us);
    if (step->as > 0)
        add(&words, " as written");
    if (step->fails.text != NULL)
        add(&words, ", which fails");
    if (step->may_fail.text != NULL)
        add(&words, ", which may fail");
}
