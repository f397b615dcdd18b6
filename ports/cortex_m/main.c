/* The main program: firmware as it is described to scenes (YS_MODULE in yarnswift/workstation.h), on a processor of its
 * own. */
#include "cortex_m/board.h"
#include "cortex_m/port.h"

/* YS_TABLE_STAMP and others come with -DYS_CONFIG_FILE, the NAME_config.h that yarnswift generate has written. */

/* What a workstation reads from the file of the image, before it runs. */
struct note {
    char magic[16];
    uint32_t version;
    uint32_t stamp;
    char machine[BOARD_MACHINE_SIZE];
};

__attribute__((section(".ys_note"), used))
const struct note note = {"yarnswift image", 1, YS_TABLE_STAMP, BOARD_MACHINE};

__attribute__((section(".bss.ys_host"))) static struct ys_host host;

static void on_event(struct ys_host *of, void *context, const struct ys_event *event)
{
    port_event(of, event);
    if (ys_module.firmware->on_event != NULL)
        ys_module.firmware->on_event(of, context, event);
    port_event_done(event);
}

#ifdef YS_OWN_ADDRESS_BYTES
static const uint8_t address[] = YS_OWN_ADDRESS_BYTES;
#define ADDRESS address
#else
#define ADDRESS NULL
#endif

int main(void)
{
    const struct ys_firmware *firmware = ys_module.firmware;
    port_begin(firmware, YS_TABLE_STAMP);
    const struct ys_host_settings settings = {
        .port = &port,
        .table = port_table(&host, firmware->table),
        .context = firmware->context,
        .on_event = on_event,
        .address_type = YS_OWN_ADDRESS_TYPE,
        .address = ADDRESS,
        .values = firmware->values,
    };
    enum ys_result result = ys_host_init(&host, sizeof host, &settings);
    if (result != YS_OK)
        port_panic(ys_result_text(result));
    port_use(&host);
    if (firmware->start != NULL)
        firmware->start(firmware->context, &host);
    ys_host_start(&host);
    for (;;) {
        uint32_t wait_ms = ys_host_run(&host);
        if (firmware->loop != NULL) {
            uint32_t loop_ms = firmware->loop(firmware->context, &host);
            wait_ms = loop_ms < wait_ms ? loop_ms : wait_ms;
        }
        port_sleep(wait_ms);
    }
}
