/* The advertisement that a definition gives. */
#include "design/payload.h"

#include <string.h>

#include <yarnswift/advertisement.h>

/* Puts all promised UUIDs of one length as one structure, if there are any. */
static void put_services(const struct ys_design *design, struct ys_writer *writer, size_t each, uint8_t type)
{
    uint8_t bytes[256];
    struct ys_writer list = ys_writer_to(bytes, sizeof bytes);
    for (size_t i = 0; i < design->promise_count; i++) {
        const struct ys_service *service = design->promises[i].service;
        if (service != NULL && service->uuid.length == each)
            ys_put_uuid(&list, &service->uuid);
    }
    if (ys_writer_length(&list) > 0)
        ys_put_ad(writer, type, bytes, ys_writer_stored(&list));
}

static struct ys_writer put_data(const struct ys_design *design, uint8_t *bytes, size_t size)
{
    static const uint8_t flags = YS_AD_GENERAL | YS_AD_NO_CLASSIC;
    struct ys_writer writer = ys_writer_to(bytes, size);
    ys_put_ad(&writer, YS_AD_FLAGS, &flags, 1);
    put_services(design, &writer, 2, YS_AD_ALL_UUIDS_16);
    put_services(design, &writer, 16, YS_AD_ALL_UUIDS_128);
    return writer;
}

static struct ys_writer put_response(const struct ys_design *design, uint8_t *bytes, size_t size)
{
    struct ys_writer writer = ys_writer_to(bytes, size);
    if (design->name != NULL)
        ys_put_ad(&writer, YS_AD_NAME, design->name, strlen(design->name));
    return writer;
}

struct ys_payload ys_payload_compose(const struct ys_design *design)
{
    struct ys_payload payload = {.data_length = 0};
    struct ys_writer data = put_data(design, payload.data, sizeof payload.data);
    struct ys_writer response = put_response(design, payload.response, sizeof payload.response);
    payload.data_length = ys_writer_stored(&data);
    payload.response_length = ys_writer_stored(&response);
    return payload;
}

void ys_payload_check(struct ys_design *design)
{
    uint8_t bytes[31];
    if (!design->advertises)
        return;
    struct ys_writer data = put_data(design, bytes, sizeof bytes);
    if (!ys_writer_ok(&data))
        ys_findings_add(&design->findings, YS_ERROR, "payload-too-long", design->promises[0].place,
                        "the advertisement needs %zu bytes (3 of flags, the rest for services) and has 31: promise "
                        "fewer services",
                        ys_writer_length(&data));
    struct ys_writer response = put_response(design, bytes, sizeof bytes);
    if (!ys_writer_ok(&response))
        ys_findings_add(&design->findings, YS_ERROR, "payload-too-long", design->name_place,
                        "the name needs %zu bytes of the scan response, which has 31 (29 of them for the name): "
                        "shorten it by %zu",
                        ys_writer_length(&response), ys_writer_length(&response) - 31);
}
