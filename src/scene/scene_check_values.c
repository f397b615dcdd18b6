/* Checks of the objects of steps: characteristics, values, names, reasons; and whether an expectation can ever be
 * met. */
#include "scene/scene_check_values.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/host.h>

#include "design/making/value_unknown.h"
#include "design/model/memory.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "scene/checking.h"
#include "scene/verbs.h"
#include "wire/hex.h"
#include "wire/smp.h"
#include "world/central.h"

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

/* values */

static struct ys_bytes bytes_of(const uint8_t *bytes, size_t length)
{
    struct ys_bytes copy = {.bytes = ys_new(length + 1), .length = length};
    memcpy(copy.bytes, bytes, length);
    return copy;
}

static bool check_value(struct checking *checking, const struct ys_field *field, const struct ys_written *written,
                        bool raw, struct ys_bytes *value)
{
    static const struct ys_format plain = {"bytes", YS_FORMAT_BYTES, 0, 0};
    const struct ys_field bytes_field = {.format = &plain};
    uint8_t bytes[YS_VALUE_LONGEST];
    const char *problem = "";
    if (written->text == NULL)
        return false;
    if (raw && strcmp(written->text, "none") == 0) {
        *value = bytes_of((const uint8_t *)"", 0);
        return true;
    }
    int length = raw ? ys_value_parse(&bytes_field, written->text, bytes, sizeof bytes, &problem)
                     : ys_value_hear(field, written->text, bytes, sizeof bytes, &problem);
    if (length >= 0)
        *value = bytes_of(bytes, (size_t)length);
    else
        scene_error(checking, "value", written->place, "\"%s\" is no such value: %s", written->text, problem);
    return length >= 0;
}

/* Out of the range of its definition. */
static void check_range(struct checking *checking, const struct ys_step *step, const struct ys_written *written,
                        const struct ys_bytes *value)
{
    const struct ys_characteristic *characteristic = step->characteristic;
    if (characteristic == NULL || step->field != &characteristic->type || !characteristic->has_range ||
        value->length != characteristic->type.format->size)
        return;
    int64_t raw = ys_value_decode(&characteristic->type, value->bytes);
    if (raw < characteristic->range[0] || raw > characteristic->range[1])
        scene_error(checking, "never", written->place,
                    "\"%s\" is out of the range of %s in its definition, so this is never met", written->text,
                    characteristic->name);
}

static void check_is(struct checking *checking, struct ys_step *step)
{
    if (step->is_text.text != NULL && check_value(checking, step->field, &step->is_text, false, &step->is))
        check_range(checking, step, &step->is_text, &step->is);
    if (step->order_count > 0)
        step->order = ys_new(step->order_count * sizeof *step->order);
    for (size_t i = 0; i < step->order_count; i++) {
        if (check_value(checking, step->field, &step->order_text[i], false, &step->order[i]))
            check_range(checking, step, &step->order_text[i], &step->order[i]);
    }
}

static void check_between(struct checking *checking, struct ys_step *step)
{
    for (size_t i = 0; i < step->between_count && i < 2; i++) {
        struct ys_bytes end = {.bytes = NULL};
        if (!check_value(checking, step->field, &step->between_text[i], false, &end))
            return;
        if (!ys_value_number(step->field, end.bytes, end.length, &step->between[i])) {
            scene_error(checking, "value", step->between_text[i].place, "only numbers lie between others");
            free(end.bytes);
            return;
        }
        check_range(checking, step, &step->between_text[i], &end);
        free(end.bytes);
    }
    if (step->between_count == 2 && step->between[0] > step->between[1])
        scene_error(checking, "never", step->between_text[0].place,
                    "no value is between %s and %s: the minimum comes first", step->between_text[0].text,
                    step->between_text[1].text);
}

static void check_rate(struct checking *checking, struct ys_step *step)
{
    for (size_t i = 0; i < step->rate_count && i < 2; i++) {
        char *end = NULL;
        step->rate[i] = step->rate_text[i].text != NULL ? strtod(step->rate_text[i].text, &end) : -1;
        if (end == NULL || end == step->rate_text[i].text || *end != '\0' || step->rate[i] < 0 || step->rate[i] > 1e6) {
            scene_error(checking, "value", step->rate_text[i].place, "a rate is a number of values a second");
            return;
        }
    }
    if (step->rate_count == 2 && step->rate[0] > step->rate[1])
        scene_error(checking, "never", step->rate_text[0].place,
                    "no rate is between %s and %s: the minimum comes first", step->rate_text[0].text,
                    step->rate_text[1].text);
    if (step->rate_count == 2 && step->characteristic != NULL && step->characteristic->spacing_us.number > 0 &&
        step->rate[0] > 1e6 / (double)step->characteristic->spacing_us.number * 1.05 + 1)
        scene_error(checking, "never", step->rate_text[0].place,
                    "its notification spacing allows %s at most %g times a second, so this is never met",
                    step->characteristic->name, 1e6 / (double)step->characteristic->spacing_us.number);
}

static void check_field(struct checking *checking, struct ys_step *step)
{
    const struct ys_field *whole = step->field;
    const char *names[YS_FIELDS_MOST];
    size_t count = 0;
    if (step->field_text.text == NULL)
        return;
    for (size_t i = 0; whole != NULL && i < whole->field_count; i++) {
        if (strcmp(whole->fields[i].name, step->field_text.text) == 0)
            step->field = &whole->fields[i];
        names[count++] = whole->fields[i].name;
    }
    if (step->field == whole)
        scene_unknown(checking, &step->field_text, "field", names, count);
    else if (step->field->most.number > 0)
        scene_error(checking, "value", step->field_text.place, "an array is only compared as a whole value");
}

/* characteristics */

/* A handle: 0x000D. */
static bool is_handle(const char *text, uint16_t *handle)
{
    char *end = NULL;
    unsigned long number = strncmp(text, "0x", 2) == 0 ? strtoul(text, &end, 16) : 0;
    *handle = (uint16_t)number;
    return number > 0 && number <= UINT16_MAX && *end == '\0';
}

static bool find_characteristic(struct checking *checking, struct ys_step *step, const struct ys_design *design)
{
    const char *names[NAMES_MOST];
    size_t count = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        const struct ys_service *service = &design->services[i];
        for (size_t j = 0; j < service->characteristic_count; j++) {
            if (step->characteristic == NULL &&
                ys_characteristic_is_called(service, &service->characteristics[j], step->object.text))
                step->characteristic = &service->characteristics[j];
            if (count < NAMES_MOST)
                names[count++] = service->characteristics[j].name;
        }
    }
    if (step->characteristic == NULL)
        scene_unknown(checking, &step->object, "characteristic", names, count);
    else
        step->field = &step->characteristic->type;
    return step->characteristic != NULL;
}

/* The value that is read, written or subscribed to, and its device. */
static bool find_value(struct checking *checking, struct ys_step *step)
{
    const struct ys_scene *scene = checking->scene;
    bool handle = is_handle(step->object.text, &step->handle);
    if (step->of_text.text != NULL)
        step->peer = scene_find_actor(checking, &step->of_text, 0, scene->actor_count, "device or central");
    else if (!handle)
        step->peer = scene_only_one(0, scene->device_count);
    if (step->of_text.text != NULL && step->peer == YS_NOBODY)
        return false;
    if (handle)
        return true;
    if (step->peer == YS_NOBODY)
        scene_error(checking, "who", step->place, "there are several devices: choose one with of: %s",
                    scene->actors[0].name.text);
    else if (scene->actors[step->peer].design == NULL)
        scene_error(checking, "name-unknown", step->object.place,
                    "of a central only handles are known, such as 0x0003");
    else
        return find_characteristic(checking, step, scene->actors[step->peer].design);
    return false;
}

static void check_way(struct checking *checking, const struct ys_step *step)
{
    const struct ys_characteristic *one = step->characteristic;
    if (one == NULL || step->fails.text != NULL)
        return;
    const char *lacks = NULL;
    if (step->verb == YS_VERB_READ && one->ways[YS_WAY_READ].right == YS_RIGHT_NONE)
        lacks = "read";
    else if (step->verb == YS_VERB_WRITE && step->response == 2 &&
             one->ways[YS_WAY_WRITE_COMMAND].right == YS_RIGHT_NONE)
        lacks = "written without response";
    else if (step->verb == YS_VERB_WRITE && step->response != 2 && !ys_is_writable(one))
        lacks = "written";
    else if ((step->verb == YS_VERB_SUBSCRIBE || step->verb == YS_VERB_EXPECT) && !ys_is_notifiable(one))
        lacks = "subscribed to";
    if (lacks != NULL)
        scene_error(checking, "never", step->object.place,
                    "by its definition %s cannot be %s, so this never succeeds; if that is meant, add fails:",
                    one->name, lacks);
}

static void check_by(struct checking *checking, struct ys_step *step)
{
    const struct ys_characteristic *one = step->characteristic;
    static const char *const words[] = {"notifications", "indications"};
    if (step->by_text.text != NULL) {
        for (int i = 0; i < 2; i++) {
            if (strcmp(step->by_text.text, words[i]) == 0)
                step->subscription = i == 0 ? YS_SUBSCRIBE_NOTIFICATIONS : YS_SUBSCRIBE_INDICATIONS;
        }
        if (step->subscription == 0)
            scene_unknown(checking, &step->by_text, "way to subscribe", words, 2);
    } else {
        step->subscription =
            one == NULL || ys_offers(one, YS_WAY_NOTIFY) ? YS_SUBSCRIBE_NOTIFICATIONS : YS_SUBSCRIBE_INDICATIONS;
    }
}

/* Values arrive only after an earlier subscription. */
static void check_subscribed(struct checking *checking, const struct ys_step *step)
{
    for (size_t i = 0; i < checking->subscription_count; i++) {
        const struct ys_step *other = checking->subscriptions[i];
        if (other->who == step->who && other->peer == step->peer && other->characteristic == step->characteristic &&
            other->handle == step->handle)
            return;
    }
    if (step->who != YS_NOBODY)
        scene_error(checking, "never", step->object.place,
                    "%s is never notified to %s, which has not subscribed before: add a step subscribe",
                    step->object.text, checking->scene->actors[step->who].name.text);
}

static void remember_subscription(struct checking *checking, const struct ys_step *step)
{
    checking->subscriptions = ys_grow(checking->subscriptions, checking->subscription_count, sizeof(struct ys_step *));
    checking->subscriptions[checking->subscription_count++] = step;
}

void scene_check_characteristic(struct checking *checking, struct ys_step *step)
{
    if (!find_value(checking, step))
        return;
    check_way(checking, step);
    if (step->verb == YS_VERB_WRITE) {
        bool raw = step->bytes_text.text != NULL;
        (void)check_value(checking, step->field, raw ? &step->bytes_text : &step->to_text, raw, &step->value);
        if (step->response == 0) {
            bool only_commands = step->characteristic != NULL &&
                                 step->characteristic->ways[YS_WAY_WRITE].right == YS_RIGHT_NONE &&
                                 step->characteristic->ways[YS_WAY_WRITE_COMMAND].right != YS_RIGHT_NONE;
            step->response = only_commands ? 2 : 1;
        }
        const struct ys_written *fails = step->fails.text != NULL ? &step->fails : &step->may_fail;
        if (step->response == 2 && fails->text != NULL)
            scene_error(checking, "never", fails->place, "a write without response never fails: it has no response");
    }
    check_field(checking, step);
    check_is(checking, step);
    check_between(checking, step);
    check_rate(checking, step);
    if (step->verb == YS_VERB_SUBSCRIBE) {
        check_by(checking, step);
        remember_subscription(checking, step);
    }
    if (step->verb == YS_VERB_EXPECT)
        check_subscribed(checking, step);
}

/* what a device is told */

static bool parse_input(const char *text, int64_t *value)
{
    char *end = NULL;
    if (strcmp(text, "on") == 0 || strcmp(text, "off") == 0 || strcmp(text, "true") == 0 ||
        strcmp(text, "false") == 0) {
        *value = text[0] == 't' || text[1] == 'n';
        return true;
    }
    *value = strtoll(text, &end, 10);
    return end != text && *end == '\0';
}

/* A button of the firmware is known when it is loaded; a characteristic has its format now. */
void scene_check_set(struct checking *checking, struct ys_step *step)
{
    const struct ys_actor *actor = &checking->scene->actors[step->who];
    const struct ys_design *design = actor->design;
    size_t errors = checking->scene->findings.errors;
    step->peer = step->who;
    if (design == NULL)
        return;
    for (size_t i = 0; i < design->service_count && step->characteristic == NULL; i++)
        step->characteristic = ys_characteristic_named(&design->services[i], step->object.text);
    if (actor->module == NULL && step->characteristic == NULL && !find_characteristic(checking, step, design))
        return;
    if (step->characteristic != NULL)
        step->field = &step->characteristic->type;
    step->input = step->object.text;
    bool raw = step->bytes_text.text != NULL;
    if (step->characteristic == NULL && raw)
        scene_error(checking, "value", step->bytes_text.place, "an input is on, off or a whole number: write to: 1");
    else if (step->characteristic != NULL)
        (void)check_value(checking, step->field, raw ? &step->bytes_text : &step->to_text, raw, &step->value);
    else if (step->to_text.text != NULL && !parse_input(step->to_text.text, &step->input_value))
        scene_error(checking, "value", step->to_text.place, "an input is on, off or a whole number, not \"%s\"",
                    step->to_text.text);
    if (checking->scene->findings.errors > errors || actor->module == NULL)
        return;
    if (step->characteristic != NULL && step->value.length <= 8 && step->value.length == step->field->format->size)
        step->input_value = ys_value_decode(step->field, step->value.bytes);
    else if (step->characteristic != NULL)
        scene_error(checking, "value", step->object.place, "an input of firmware is a whole number, which %s is not",
                    step->object.text);
}

/* whom */

void scene_check_peer(struct checking *checking, struct ys_step *step)
{
    const struct ys_scene *scene = checking->scene;
    if (step->object.text != NULL)
        step->peer = scene_find_actor(checking, &step->object, 0, scene->actor_count, "device or central");
    if (step->peer != YS_NOBODY && step->peer == step->who)
        scene_error(checking, "who", step->object.place, "a device cannot connect to itself: name another one");
}

void scene_check_name(struct checking *checking, const struct ys_step *step)
{
    const struct ys_scene *scene = checking->scene;
    const char *names[NAMES_MOST];
    size_t count = 0;
    for (size_t i = 0; i < scene->actor_count && count < NAMES_MOST; i++)
        names[count++] = scene->actors[i].is_device && scene->actors[i].design != NULL
                             ? scene->actors[i].design->name.text
                             : scene->actors[i].name.text;
    for (size_t i = 0; i < count; i++) {
        if (strcmp(names[i], step->object.text) == 0)
            return;
    }
    if (step->fails.text == NULL)
        scene_unknown(checking, &step->object, "device in this scene that advertises the name", names, count);
}

void scene_check_service(struct checking *checking, struct ys_step *step)
{
    const struct ys_scene *scene = checking->scene;
    const char *names[NAMES_MOST];
    size_t count = 0;
    if (ys_uuid_parse(step->object.text, strlen(step->object.text), &step->service))
        return;
    for (size_t i = 0; i < scene->device_count; i++) {
        const struct ys_design *design = scene->actors[i].design;
        for (size_t j = 0; design != NULL && j < design->service_count && count < NAMES_MOST; j++) {
            names[count++] = design->services[j].name;
            if (strcmp(design->services[j].name, step->object.text) == 0) {
                step->service = design->services[j].uuid;
                return;
            }
        }
    }
    scene_unknown(checking, &step->object, "service", names, count);
}

void scene_check_address(struct checking *checking, struct ys_step *step)
{
    step->address.type = YS_ANY_TYPE; /* how it is written does not tell */
    if (ys_address_parse(step->object.text, strlen(step->object.text), &step->address))
        return;
    step->peer =
        scene_find_actor(checking, &step->object, 0, checking->scene->actor_count, "address, device or central");
}

/* Possible reasons: in these words, or by their codes. */
static bool is_reason(const char *text)
{
    static const char *const own[] = {"has not found it",
                                      "could not connect",
                                      "no answer came",
                                      "the connection ended first",
                                      "there is no connection",
                                      "it has no client configuration",
                                      "it is connected with it already",
                                      "has not discovered it",
                                      "was switched off",
                                      "the answer did not fit the question",
                                      "could not agree on an MTU",
                                      YS_DOES_NOT_FIT};
    if (strncmp(text, "0x", 2) == 0)
        return strlen(text) == 4 && ys_hex_digit(text[2]) >= 0 && ys_hex_digit(text[3]) >= 0;
    for (size_t i = 0; i < COUNT(own); i++) {
        if (strstr(own[i], text) != NULL)
            return true;
    }
    for (unsigned code = 1; code < 256; code++) {
        if (strstr(ys_smp_reason_text((uint8_t)code), text) != NULL ||
            strstr(ys_att_error_text((uint8_t)code), text) != NULL ||
            strstr(ys_hci_error_text((uint8_t)code), text) != NULL)
            return true;
    }
    for (int result = 1; result <= YS_ERROR_CONTEXT; result++) {
        if (strstr(ys_result_text((enum ys_result)result), text) != NULL)
            return true;
    }
    return false;
}

void scene_check_reason(struct checking *checking, const struct ys_written *reason)
{
    char one[200];
    const char *rest = reason->text;
    if (reason->text == NULL || strcmp(reason->text, YS_ANY_REASON) == 0 || is_reason(reason->text))
        return;
    while (rest != NULL) {
        rest = ys_reason_next(rest, one, sizeof one);
        if (!is_reason(one))
            scene_error(checking, "never", reason->place,
                        "\"%s\" is in no known reason: use words of one, such as \"out of range\" or \"cannot be "
                        "written\", or a code such as 0xFF",
                        one);
    }
}
