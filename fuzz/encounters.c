/* Encounters of any aspects with a device that has everything: each makes a scene that can be played, whatever of it is
 * left out, and the same each time. The input is a seed, then the values of the aspects, then bits of what is left out.
 */
#include <stdlib.h>
#include <string.h>

#include "design/making/layout.h"
#include "design/open.h"
#include "encounter/compose.h"
#include "scene/scene_read.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

extern const char everything_definition[];

static struct ys_design *open_everything(void *context, const char *path)
{
    (void)context;
    return ys_design_read(path, everything_definition, strlen(everything_definition), NULL, NULL);
}

/* A scene must be good if all of it is there. */
static void look_at(const struct ys_subject *subject, const struct ys_encounter *encounter, bool whole)
{
    const struct ys_scene_files files = {.design = open_everything};
    char *text = ys_encounter_scene(subject, encounter, "# a comment\n", NULL);
    struct ys_scene *scene = ys_scene_read("encounter.scene.yaml", text, strlen(text), &files);
    if (whole && scene->findings.errors > 0)
        abort();
    ys_scene_free(scene);
    free(text);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static struct ys_design *design;
    static struct ys_layout *layout;
    static const char *const inputs[] = {"button", "a \"level\""};
    uint64_t seed = 0;
    struct ys_choice choice = {.number = 1};
    if (design == NULL) {
        design = open_everything(NULL, "everything.device.yaml");
        layout = ys_layout_new(design);
    }
    if (size < 8 + YS_ASPECTS)
        return 0;
    struct ys_subject subject = {.design = design, .layout = layout, .definition = "everything.device.yaml"};
    bool firmware = (data[0] & 1) != 0; /* whose inputs are only known to it, so the scene says none of them */
    subject.inputs = inputs;
    subject.input_count = firmware ? 2 : 0;
    ys_subject_know(&subject);
    memcpy(&seed, data, sizeof seed);
    for (size_t i = 0; i < YS_ASPECTS; i++)
        choice.values[i] = (uint16_t)(data[8 + i] % ys_aspect_count(&subject, (enum ys_aspect)i));
    struct ys_encounter *encounter = ys_encounter_new(&subject, &choice, seed);
    struct ys_encounter *same = ys_encounter_new(&subject, &choice, seed);
    if (encounter->step_count != same->step_count)
        abort();
    for (size_t i = 0; i < encounter->step_count; i++) {
        if (strcmp(encounter->steps[i].text, same->steps[i].text) != 0)
            abort();
    }
    look_at(&subject, encounter, choice.values[YS_ASPECT_INPUT] == 0);
    for (size_t i = 0; i < encounter->step_count && 8 + YS_ASPECTS + i / 8 < size; i++)
        encounter->steps[i].left_out = (data[8 + YS_ASPECTS + i / 8] >> i % 8 & 1) != 0;
    look_at(&subject, encounter, false);
    ys_encounter_free(encounter);
    ys_encounter_free(same);
    ys_subject_forget(&subject);
    return 0;
}
