/* Scenes, played: whatever steps devices and centrals are told to do, in whatever order and at once, the take comes to
 * its end, and tells how. The steps are made from the bytes; devices are stand-ins. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/open.h"
#include "scene/scene_read.h"
#include "scene/stage.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* Definitions (made at build time): of the wrench, and of a device that pairs and has values with every right. */
extern const char wrench_definition[];
extern const char rights_definition[];

#define STEPS_MOST 40
#define DEEP_MOST  3

struct bytes {
    const uint8_t *at;
    size_t left;
    unsigned steps;
};

static unsigned take(struct bytes *bytes)
{
    if (bytes->left == 0)
        return 0;
    bytes->left--;
    return *bytes->at++;
}

static const char *one_of(struct bytes *bytes, const char *const *words, size_t count)
{
    return words[take(bytes) % count];
}
#define ONE_OF(bytes, words) one_of(bytes, words, sizeof(words) / sizeof(words)[0])

static const char *const actors[] = {"t", "u", "wrench", "safe"};
static const char *const centrals[] = {"t", "u"};
static const char *const devices[] = {"wrench", "safe"};

/* What each device has: its values, those that can be read, written, and notify, and a value for the writing. */
static const struct kind {
    const char *device;
    const char *read[4];
    const char *written[2];
    const char *text[2];
    const char *notified[2];
} had[] = {
    {"wrench",
     {"live torque", "preset", "bolt result", "battery level"},
     {"preset", "preset"},
     {"42.0 N m", "0.0 N m"},
     {"live torque", "bolt result"}},
    {"safe",
     {"everybody", "encrypted", "authenticated", "secure"},
     {"everybody", "encrypted"},
     {"bytes 01 02", "bytes 07"},
     {"everybody", "authenticated"}},
};

static const char *const times[] = {"1 us", "5 ms", "120 ms", "1 s", "2500 ms"};
static const char *const reasons[] = {"out of range", "0x3E", "cannot be read", "could not connect", "no answer came"};
static const char *const kinds[] = {"polite", "old", "forgetful", "impatient", "stubborn", "eavesdropping"};
static const char *const people[] = {"right", "wrong", "nothing", "cancel", "123456"};

static void put_steps(FILE *scene, struct bytes *bytes, unsigned deep);

static void put_group(FILE *scene, struct bytes *bytes, unsigned deep, unsigned kind)
{
    if (kind == 0)
        (void)fputs("{parallel: [", scene);
    else if (kind == 1)
        (void)fprintf(scene, "{repeat: %u, steps: [", 1 + take(bytes) % 3);
    else
        (void)fprintf(scene, "{who: %s, steps: [", ONE_OF(bytes, centrals));
    put_steps(scene, bytes, deep + 1);
    (void)fputs("]}", scene);
}

static void put_value_step(FILE *scene, struct bytes *bytes, const char *who)
{
    const struct kind *kind = &had[take(bytes) % 2];
    unsigned how = take(bytes);
    const char *of = kind->device;
    const char *read = ONE_OF(bytes, kind->read);
    const char *written = ONE_OF(bytes, kind->written);
    const char *notified = ONE_OF(bytes, kind->notified);
    switch (how % 9) {
    case 0:
        (void)fprintf(scene, "{write: %s, of: %s, who: %s, to: %s}", written, of, who, ONE_OF(bytes, kind->text));
        break;
    case 1:
        (void)fprintf(scene, "{write: %s, of: %s, who: %s, bytes: %02x%02x, fails: %s}", written, of, who, take(bytes),
                      take(bytes), ONE_OF(bytes, reasons));
        break;
    case 2:
        (void)fprintf(scene, "{expect none: %s, of: %s, who: %s, for: %s}", notified, of, who, ONE_OF(bytes, times));
        break;
    case 3:
        (void)fprintf(scene, "{unsubscribe: %s, of: %s, who: %s}", notified, of, who);
        break;
    case 4:
        (void)fprintf(scene, "{read: %s, of: %s, who: %s, fails: %s}", read, of, who, ONE_OF(bytes, reasons));
        break;
    case 5:
        (void)fprintf(scene, "{who: %s, steps: [{subscribe: %s, of: %s}, {expect: %s, of: %s, for: %s}]}", who,
                      notified, of, notified, of, ONE_OF(bytes, times));
        break;
    case 6:
        (void)fprintf(scene, "{who: %s, steps: [{subscribe: %s, of: %s}, {expect: %s, of: %s, within: %s}]}", who,
                      notified, of, notified, of, ONE_OF(bytes, times));
        break;
    default:
        (void)fprintf(scene, "{read: %s, of: %s, who: %s}", read, of, who);
    }
}

static void put_meeting(FILE *scene, struct bytes *bytes, const char *who)
{
    static const char *const verbs[] = {"connect", "disconnect", "discover"};
    const char *device = ONE_OF(bytes, devices);
    switch (take(bytes) % 9) {
    case 8:
        (void)fprintf(scene, "{find: %s, who: %s}", take(bytes) & 1 ? "Rights" : "Torvane T2", who);
        break;
    case 0:
        (void)fprintf(scene, "{pair: safe, who: %s, passkey: %s}", who, ONE_OF(bytes, people));
        break;
    case 1:
        (void)fprintf(scene, "{expect disconnection: %s, who: %s, within: %s}", device, who, ONE_OF(bytes, times));
        break;
    case 2:
        (void)fprintf(scene, "{connect: %s, who: %s, within: %s}", device, who, ONE_OF(bytes, times));
        break;
    case 3:
        (void)fprintf(scene, "{send garbage: %s, who: %s, for: %s}", device, who, ONE_OF(bytes, times));
        break;
    default:
        (void)fprintf(scene, "{%s: %s, who: %s}", ONE_OF(bytes, verbs), device, who);
    }
}

static void put_world(FILE *scene, struct bytes *bytes)
{
    static const char *const powers[] = {"off", "on", "cycle"};
    static const char *const channels[] = {"[37]", "[37, 38, 39]", "[0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13]",
                                           "all", "[]"};
    switch (take(bytes) % 8) {
    case 0:
        (void)fprintf(scene, "{power: %s, who: %s}", ONE_OF(bytes, powers), ONE_OF(bytes, actors));
        break;
    case 1:
        (void)fprintf(scene, "{jam: %s, for: %s}", ONE_OF(bytes, channels), ONE_OF(bytes, times));
        break;
    case 2:
        (void)fprintf(scene, "{walk: [%u m, 0 m], who: %s, for: %s}", take(bytes), ONE_OF(bytes, actors),
                      ONE_OF(bytes, times));
        break;
    case 3:
        (void)fprintf(scene, "{forget: everybody, who: %s}", take(bytes) & 1 ? "safe" : ONE_OF(bytes, centrals));
        break;
    case 4:
        (void)fprintf(scene, "{advertise: %s, who: %s}", take(bytes) & 1 ? "true" : "false", ONE_OF(bytes, centrals));
        break;
    case 5:
        (void)fprintf(scene, "{set: preset, who: wrench, to: %s}", ONE_OF(bytes, had[0].text));
        break;
    case 6:
        (void)fprintf(scene, "{expect no log: connected, who: %s, for: %s}", ONE_OF(bytes, devices),
                      ONE_OF(bytes, times));
        break;
    default:
        (void)fprintf(scene, "{wait: %s}", ONE_OF(bytes, times));
    }
}

static void put_steps(FILE *scene, struct bytes *bytes, unsigned deep)
{
    const char *between = "";
    unsigned count = 1 + take(bytes) % (deep == 0 ? 12 : 4);
    for (unsigned i = 0; i < count && bytes->steps < STEPS_MOST; i++) {
        unsigned kind = take(bytes);
        bytes->steps++;
        (void)fputs(between, scene);
        between = ", ";
        if (deep < DEEP_MOST && kind % 8 == 0)
            put_group(scene, bytes, deep, kind / 8 % 3);
        else if (kind % 8 < 3)
            put_world(scene, bytes);
        else if (kind % 8 < 6)
            put_meeting(scene, bytes, ONE_OF(bytes, centrals));
        else
            put_value_step(scene, bytes, ONE_OF(bytes, centrals));
    }
    if (between[0] == '\0')
        (void)fputs("{wait: 1 ms}", scene);
}

static struct ys_design *open_one(void *context, const char *path)
{
    (void)context;
    const char *text = strstr(path, "rights") != NULL ? rights_definition : wrench_definition;
    return ys_design_read(path, text, strlen(text), NULL, NULL);
}

static void play(const struct ys_scene *scene, uint64_t seed)
{
    struct ys_take played;
    ys_scene_play(scene, seed, true, NULL, NULL, &played);
    bool failed = false;
    for (size_t i = 0; i < played.step_count; i++) {
        failed |= !played.steps[i].passed;
        if (played.steps[i].ended_ns < played.steps[i].began_ns)
            abort();
    }
    if (played.ending == YS_TAKE_BROKEN || failed != (played.ending == YS_TAKE_FAILED) || !isfinite(played.simulated_s))
        abort();
    ys_take_clear(&played);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    const struct ys_scene_files files = {.design = open_one};
    struct bytes bytes = {.at = data, .left = size};
    char *text = NULL;
    size_t length = 0;
    FILE *out = open_memstream(&text, &length);
    unsigned first = take(&bytes);
    (void)fprintf(out,
                  "scene: fuzz\nair: %s\ndevices: [{name: wrench, definition: wrench.device.yaml}, {name: safe, "
                  "definition: rights.device.yaml}]\ncentrals: "
                  "[{name: t, kind: %s, patience: 1 s}, {name: u, kind: %s, patience: 2 s}]\nsteps: [",
                  first & 1 ? "open" : "perfect", ONE_OF(&bytes, kinds), ONE_OF(&bytes, kinds));
    put_steps(out, &bytes, 0);
    (void)fputs("]\n", out);
    (void)fclose(out);
    struct ys_scene *scene = ys_scene_read("fuzz.scene.yaml", text, length, &files);
    if (scene->findings.errors == 0)
        play(scene, first);
    ys_scene_free(scene);
    free(text);
    return 0;
}
