/* Writes captures. Files are little-endian, which every reader accepts. */
#include "capture/file/writer.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/link_types.h"
#include "capture/file/output.h"

#define NS_PER_S     UINT64_C(1000000000)
#define FILES_MOST   257 /* the air, and devices */
#define PATH_MOST    4096
#define NAME_MOST    48
#define SNAP_LENGTH  0x40000
#define PACKET_MOST  (YS_LINK_TYPE_AIR_MAX)
#define OPTIONS_MOST 128

/* A stream of packets of one link type: an interface of a pcapng file, or a pcap file of its own. */
struct stream {
    struct ys_output output;
    FILE *file; /* its stream, or NULL */
    bool begun;
    char name[NAME_MOST];
};

struct ys_capture_writer {
    char path[PATH_MOST];
    bool blocks; /* pcapng */
    bool replaces;
    char trouble[PATH_MOST + NAME_MOST + 400]; /* the first thing that failed; empty: nothing has */
    uint32_t interface_count;
    uint32_t interfaces[FILES_MOST]; /* pcapng: the number of each stream's, once it has begun */
    struct stream streams[FILES_MOST];
};

static bool ends_in(const char *path, const char *ending)
{
    size_t length = strlen(path);
    size_t end = strlen(ending);
    return length > end && strcmp(path + length - end, ending) == 0;
}

static void make(struct ys_capture_writer *writer, struct stream *stream, const char *path)
{
    char error[300];
    if (ys_output_begin(&stream->output, path, writer->replaces, error, sizeof error))
        stream->file = stream->output.stream;
    else if (writer->trouble[0] == '\0')
        (void)snprintf(writer->trouble, sizeof writer->trouble, "%s: %s", path, error);
}

/* What cannot be written is told by the file in the end. */
static void put(FILE *file, const void *bytes, size_t length)
{
    if (file != NULL)
        (void)fwrite(bytes, 1, length, file);
}

/* pcapng */

static void put_block(struct ys_capture_writer *writer, uint32_t kind, const struct ys_writer *body)
{
    static const uint8_t padding[3];
    uint8_t header[8];
    uint8_t trailer[4];
    size_t length = ys_writer_stored(body);
    size_t padded = (length + 3) / 4 * 4;
    struct ys_writer before = ys_writer_to(header, sizeof header);
    struct ys_writer behind = ys_writer_to(trailer, sizeof trailer);
    ys_put_u32(&before, kind);
    ys_put_u32(&before, (uint32_t)padded + 12);
    ys_put_u32(&behind, (uint32_t)padded + 12);
    put(writer->streams->file, header, sizeof header);
    put(writer->streams->file, body->start, length);
    put(writer->streams->file, padding, padded - length);
    put(writer->streams->file, trailer, sizeof trailer);
}

static void put_option(struct ys_writer *body, uint16_t code, const void *value, uint16_t length)
{
    static const uint8_t padding[3];
    ys_put_u16(body, code);
    ys_put_u16(body, length);
    ys_put_bytes(body, value, length);
    ys_put_bytes(body, padding, (4 - length % 4u) % 4);
}

static void put_section(struct ys_capture_writer *writer)
{
    uint8_t bytes[OPTIONS_MOST];
    struct ys_writer body = ys_writer_to(bytes, sizeof bytes);
    ys_put_u32(&body, 0x1a2b3c4d);
    ys_put_u16(&body, 1);
    ys_put_u16(&body, 0);
    ys_put_u64(&body, UINT64_MAX); /* its length is not known */
    put_option(&body, 4, "yarnswift", 9);
    put_option(&body, 0, NULL, 0);
    put_block(writer, 0x0a0d0d0a, &body);
}

static void put_interface(struct ys_capture_writer *writer, const struct stream *stream, uint16_t link_type)
{
    static const uint8_t nanoseconds = 9;
    uint8_t bytes[OPTIONS_MOST];
    struct ys_writer body = ys_writer_to(bytes, sizeof bytes);
    ys_put_u16(&body, link_type);
    ys_put_u16(&body, 0);
    ys_put_u32(&body, 0);
    put_option(&body, 2, stream->name, (uint16_t)strlen(stream->name));
    put_option(&body, 9, &nanoseconds, 1);
    put_option(&body, 0, NULL, 0);
    put_block(writer, 1, &body);
}

static void put_time(struct ys_writer *body, uint64_t at_ns)
{
    ys_put_u32(body, (uint32_t)(at_ns >> 32));
    ys_put_u32(body, (uint32_t)at_ns);
}

static void put_statistics(struct ys_capture_writer *writer, uint32_t interface, uint64_t from_ns, uint64_t to_ns)
{
    uint8_t bytes[OPTIONS_MOST];
    uint8_t time[8];
    struct ys_writer body = ys_writer_to(bytes, sizeof bytes);
    ys_put_u32(&body, interface);
    put_time(&body, to_ns);
    struct ys_writer started = ys_writer_to(time, sizeof time);
    put_time(&started, from_ns);
    put_option(&body, 2, time, sizeof time);
    struct ys_writer ended = ys_writer_to(time, sizeof time);
    put_time(&ended, to_ns);
    put_option(&body, 3, time, sizeof time);
    put_option(&body, 0, NULL, 0);
    put_block(writer, 5, &body);
}

static void put_packet_block(struct ys_capture_writer *writer, uint32_t interface, uint64_t at_ns,
                             const uint8_t *packet, size_t length)
{
    uint8_t bytes[20 + SNAP_LENGTH / 64];
    struct ys_writer body = ys_writer_to(bytes, sizeof bytes);
    ys_put_u32(&body, interface);
    put_time(&body, at_ns);
    ys_put_u32(&body, (uint32_t)length);
    ys_put_u32(&body, (uint32_t)length);
    ys_put_bytes(&body, packet, length);
    put_block(writer, 6, &body);
}

/* pcap */

static void put_pcap_header(FILE *file, uint16_t link_type)
{
    uint8_t bytes[24];
    struct ys_writer header = ys_writer_to(bytes, sizeof bytes);
    ys_put_u32(&header, 0xa1b23c4d); /* times have nanoseconds */
    ys_put_u16(&header, 2);
    ys_put_u16(&header, 4);
    ys_put_u64(&header, 0);
    ys_put_u32(&header, SNAP_LENGTH);
    ys_put_u32(&header, link_type);
    put(file, bytes, sizeof bytes);
}

static void put_pcap_packet(FILE *file, uint64_t at_ns, const uint8_t *packet, size_t length)
{
    uint8_t bytes[16];
    struct ys_writer header = ys_writer_to(bytes, sizeof bytes);
    ys_put_u32(&header, (uint32_t)(at_ns / NS_PER_S));
    ys_put_u32(&header, (uint32_t)(at_ns % NS_PER_S));
    ys_put_u32(&header, (uint32_t)length);
    ys_put_u32(&header, (uint32_t)length);
    put(file, bytes, sizeof bytes);
    put(file, packet, length);
}

/* streams */

/* The file of a device: the path with a hyphen and the name before its ending, without characters that are not suitable
 * for file names. */
static void make_beside(struct ys_capture_writer *writer, struct stream *stream, const char *name)
{
    char path[PATH_MOST + NAME_MOST + 8];
    size_t stem = strlen(writer->path) - strlen(".pcap");
    int length = snprintf(path, sizeof path, "%.*s-", (int)stem, writer->path);
    for (; *name != '\0' && length + 6 < (int)sizeof path; name++) {
        bool fit = (*name >= '0' && *name <= '9') || (*name >= 'a' && *name <= 'z') || (*name >= 'A' && *name <= 'Z') ||
                   *name == '.' || *name == '-' || (unsigned char)*name >= 0x80;
        path[length++] = *name;
        if (!fit)
            path[length - 1] = '_';
    }
    (void)snprintf(path + length, sizeof path - (size_t)length, ".pcap");
    make(writer, stream, path);
}

static struct stream *stream_of(struct ys_capture_writer *writer, const struct ys_record *record)
{
    bool air = record->kind == YS_RECORD_AIR;
    size_t index = air ? 0 : record->device < FILES_MOST && record->device > 0 ? record->device : FILES_MOST - 1;
    struct stream *stream = &writer->streams[index];
    uint16_t link_type = air ? YS_LINK_TYPE_AIR_WITH_HEADER : YS_LINK_TYPE_HCI_WITH_DIRECTION;
    if (stream->begun)
        return stream;
    stream->begun = true;
    if (air)
        (void)snprintf(stream->name, sizeof stream->name, "air");
    else if (record->name != NULL)
        (void)snprintf(stream->name, sizeof stream->name, "%s", record->name);
    else
        (void)snprintf(stream->name, sizeof stream->name, "host %zu", index);
    if (writer->blocks) {
        writer->interfaces[index] = writer->interface_count++;
        put_interface(writer, stream, link_type);
        return stream;
    }
    if (!air)
        make_beside(writer, stream, stream->name);
    if (stream->file != NULL)
        put_pcap_header(stream->file, link_type);
    return stream;
}

struct ys_capture_writer *ys_capture_create(const char *path, bool replaces, char *error, size_t size)
{
    bool blocks = ends_in(path, ".pcapng");
    if ((!blocks && !ends_in(path, ".pcap")) || strlen(path) >= PATH_MOST) {
        (void)snprintf(error, size, "the name of a capture must end in .pcap or .pcapng");
        return NULL;
    }
    struct ys_capture_writer *writer = calloc(1, sizeof *writer);
    if (writer == NULL) {
        (void)snprintf(error, size, "there is no memory for it");
        return NULL;
    }
    (void)snprintf(writer->path, sizeof writer->path, "%s", path);
    writer->blocks = blocks;
    writer->replaces = replaces;
    if (!ys_output_begin(&writer->streams->output, path, replaces, error, size)) {
        free(writer);
        return NULL;
    }
    writer->streams->file = writer->streams->output.stream;
    if (blocks)
        put_section(writer);
    (void)stream_of(writer, &(struct ys_record){.kind = YS_RECORD_AIR}); /* also if nothing will be on the air */
    return writer;
}

void ys_capture_write(struct ys_capture_writer *writer, const struct ys_record *record)
{
    uint8_t bytes[SNAP_LENGTH / 128];
    struct ys_writer packet = ys_writer_to(bytes, sizeof bytes);
    const struct stream *stream = stream_of(writer, record);
    if (record->kind == YS_RECORD_AIR) {
        ys_put_captured_air(&packet, record);
    } else {
        ys_put_captured_direction(&packet, record->to_host);
        ys_put_bytes(&packet, record->bytes, record->length);
    }
    size_t length = ys_writer_stored(&packet);
    if (writer->blocks)
        put_packet_block(writer, writer->interfaces[stream - writer->streams], record->at_ns, bytes, length);
    else if (stream->file != NULL)
        put_pcap_packet(stream->file, record->at_ns, bytes, length);
}

void ys_capture_sink(void *writer, const struct ys_record *record)
{
    ys_capture_write(writer, record);
}

bool ys_capture_close(struct ys_capture_writer *writer, uint64_t from_ns, uint64_t to_ns, char *error, size_t size)
{
    for (size_t i = 0; i < FILES_MOST && writer->blocks; i++) {
        if (writer->streams[i].begun)
            put_statistics(writer, writer->interfaces[i], from_ns, to_ns);
    }
    for (size_t i = 0; i < FILES_MOST; i++) {
        struct stream *stream = &writer->streams[i];
        char trouble[300];
        char path[PATH_MOST + NAME_MOST + 8];
        if (stream->file == NULL)
            continue;
        (void)snprintf(path, sizeof path, "%s", stream->output.path);
        /* what is in its place already stays there */
        bool wanted = writer->trouble[0] == '\0';
        if (!ys_output_end(&stream->output, wanted, trouble, sizeof trouble) && wanted)
            (void)snprintf(writer->trouble, sizeof writer->trouble, "%s: %s", path, trouble);
    }
    bool good = writer->trouble[0] == '\0';
    if (!good)
        (void)snprintf(error, size, "%s", writer->trouble);
    free(writer);
    return good;
}
