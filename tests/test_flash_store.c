/* The store in flash, on simulated flash that counts, fails, and loses its power at every operation. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "parts/flash_store.h"

#define PAGE_MOST 4096

struct flash {
    uint8_t pages[2][PAGE_MOST];
    bool programmed[2][PAGE_MOST]; /* since it was erased */
    uint32_t unit;
    unsigned left;     /* operations until the power fails; UINT_MAX: it does not */
    bool dead;         /* it has */
    unsigned bad_page; /* whose cells from an offset on cannot be programmed any more */
    uint32_t bad_from;
    bool bad;
    uint32_t seed;
    unsigned operations;
    unsigned erased[2];
};

static uint32_t chance(struct flash *flash)
{
    flash->seed = flash->seed * 1664525 + 1013904223;
    return flash->seed >> 8;
}

/* Whether the power is there, and whether it fails in the middle of this operation. */
static bool begins(struct flash *flash, bool *breaks)
{
    *breaks = false;
    if (flash->dead)
        return false;
    flash->operations++;
    if (flash->left != UINT32_MAX && flash->left-- == 0) {
        flash->dead = true;
        *breaks = true;
    }
    return true;
}

static bool erase(void *context, unsigned page)
{
    struct flash *flash = context;
    bool breaks;
    if (!begins(flash, &breaks))
        return false;
    flash->erased[page]++;
    for (uint32_t i = 0; i < PAGE_MOST; i++) {
        if (breaks && chance(flash) % 2 == 0)
            continue; /* this byte was not reached */
        flash->pages[page][i] = 0xff;
        flash->programmed[page][i] = false;
    }
    return !breaks;
}

static bool program(void *context, unsigned page, uint32_t offset, const void *bytes, uint32_t length)
{
    struct flash *flash = context;
    assert_int_equal(offset % flash->unit, 0);
    assert_int_equal(length % flash->unit, 0);
    assert_true(offset + length <= PAGE_MOST);
    for (uint32_t at = 0; at < length; at += flash->unit) {
        bool breaks;
        if (!begins(flash, &breaks))
            return false;
        for (uint32_t i = offset + at; i < offset + at + flash->unit; i++) {
            assert_false(flash->programmed[page][i]); /* nothing is programmed twice */
            flash->programmed[page][i] = true;
            uint8_t byte = ((const uint8_t *)bytes)[i - offset];
            if (breaks)
                byte |= (uint8_t)chance(flash); /* some bits only */
            if (flash->bad && page == flash->bad_page && i >= flash->bad_from)
                byte |= 0x10;
            flash->pages[page][i] &= byte;
        }
        if (breaks)
            return false;
    }
    return true;
}

static void read(void *context, unsigned page, uint32_t offset, void *bytes, uint32_t length)
{
    const struct flash *flash = context;
    assert_true(offset + length <= PAGE_MOST);
    memcpy(bytes, flash->pages[page] + offset, length);
}

static void begin(struct flash *flash, struct ys_flash *driver, uint32_t page_size, uint32_t unit)
{
    memset(flash, 0, sizeof *flash);
    memset(flash->pages, 0xff, sizeof flash->pages);
    flash->unit = unit;
    flash->left = UINT32_MAX;
    flash->seed = unit + page_size;
    *driver = (struct ys_flash){
        .page_size = page_size, .unit = unit, .erase = erase, .program = program, .read = read, .context = flash};
}

static void power_on(struct flash *flash, struct ys_flash_store *store, const struct ys_flash *driver)
{
    flash->dead = false;
    flash->left = UINT32_MAX;
    for (unsigned page = 0; page < 2; page++) /* what reads as erased after a cut counts as that */
        for (uint32_t i = 0; i < PAGE_MOST; i++)
            flash->programmed[page][i] = flash->pages[page][i] != 0xff && flash->programmed[page][i];
    assert_true(ys_flash_store_open(store, driver));
}

/* what must be in it */

#define KEYS 9

struct model {
    uint8_t bytes[KEYS][288];
    size_t length[KEYS]; /* 0: none */
};

static bool has(const struct ys_flash_store *store, uint16_t key, const uint8_t *bytes, size_t length)
{
    uint8_t there[700];
    size_t got = ys_flash_store_get(store, key, there, sizeof there);
    return got == length && memcmp(there, bytes, length) == 0;
}

static void check_all(const struct ys_flash_store *store, const struct model *model)
{
    for (uint16_t key = 0; key < KEYS; key++)
        assert_true(has(store, key, model->bytes[key], model->length[key]));
}

/* One change of many, after which the model is as the store is to be. False: it is too much for the store. */
static bool change(struct flash *flash, struct ys_flash_store *store, struct model *model, uint16_t *key)
{
    static const size_t lengths[] = {1, 7, 16, 63, 64, 65, 128, 200, 288};
    uint8_t bytes[288];
    *key = (uint16_t)(chance(flash) % KEYS);
    if (chance(flash) % 5 == 0) {
        ys_flash_store_delete(store, *key);
        model->length[*key] = 0;
        return true;
    }
    size_t length = lengths[chance(flash) % (sizeof lengths / sizeof lengths[0])];
    for (size_t i = 0; i < length; i++)
        bytes[i] = (uint8_t)chance(flash);
    if (!ys_flash_store_put(store, *key, bytes, length))
        return false;
    memcpy(model->bytes[*key], bytes, length);
    model->length[*key] = length;
    return true;
}

static const uint32_t units[] = {1, 2, 4, 8, 16, 32};

static void what_was_put_is_there_for_every_unit_and_size(void **state)
{
    (void)state;
    for (size_t u = 0; u < sizeof units / sizeof units[0]; u++) {
        static struct flash flash;
        static struct model model;
        struct ys_flash driver;
        struct ys_flash_store store;
        unsigned refused = 0;
        memset(&model, 0, sizeof model);
        begin(&flash, &driver, u % 2 == 0 ? 2048 : 4096, units[u]);
        power_on(&flash, &store, &driver);
        for (int i = 0; i < 600; i++) {
            uint16_t key;
            refused += !change(&flash, &store, &model, &key);
            check_all(&store, &model);
            if (i % 50 == 0)
                power_on(&flash, &store, &driver);
        }
        assert_int_equal(ys_flash_store_erased(&store), flash.erased[0] + flash.erased[1]);
        assert_true(flash.erased[0] > 5 && flash.erased[0] - flash.erased[1] + 1 <= 2); /* both wear alike */
        assert_true(u % 2 == 0 || refused == 0);
    }
}

static void a_power_cut_at_any_operation_leaves_the_old_record_or_the_new(void **state)
{
    (void)state;
    for (size_t u = 0; u < sizeof units / sizeof units[0]; u++) {
        static struct flash flash;
        static struct model before;
        static struct model after;
        struct ys_flash driver;
        struct ys_flash_store store;
        unsigned cut = 0;
        memset(&before, 0, sizeof before);
        begin(&flash, &driver, 4096, units[u]);
        power_on(&flash, &store, &driver);
        for (int i = 0; i < 1500; i++) {
            uint16_t key;
            flash.left = chance(&flash) % 80; /* operations: a unit programmed, a page erased */
            after = before;
            (void)change(&flash, &store, &after, &key);
            if (!flash.dead) {
                before = after;
                continue;
            }
            cut++;
            /* what the change would have been is not known if it was refused: then it is the old one, or none, or new
             */
            power_on(&flash, &store, &driver);
            uint8_t there[300];
            size_t length = ys_flash_store_get(&store, key, there, sizeof there);
            bool old = has(&store, key, before.bytes[key], before.length[key]);
            bool new = has(&store, key, after.bytes[key], after.length[key]);
            if (!old && !new) { /* the record that was being put: all of it, which its own check says */
                assert_true(length > 0 && length <= 288);
                memcpy(after.bytes[key], there, length);
                after.length[key] = length;
            }
            if (!old) {
                memcpy(before.bytes[key], after.bytes[key], sizeof before.bytes[key]);
                before.length[key] = after.length[key];
            }
            check_all(&store, &before);
        }
        assert_true(cut > 100);
    }
}

/* The same moment, cut at each of its operations: appending, and copying to the other page. */
static void each_operation_of_a_copy_may_be_the_last(void **state)
{
    static struct flash flash;
    static struct flash full;
    struct ys_flash driver;
    struct ys_flash_store store;
    uint8_t one[100];
    uint8_t two[100];
    (void)state;
    memset(one, 1, sizeof one);
    memset(two, 2, sizeof two);
    begin(&full, &driver, 512, 8);
    driver.context = &full;
    power_on(&full, &store, &driver);
    assert_true(ys_flash_store_put(&store, 7, one, sizeof one));
    for (uint8_t i = 0; i < 4; i++) /* until the page is full */
        assert_true(ys_flash_store_put(&store, 8, (uint8_t[60]){i}, 60));
    full.operations = 0;
    flash = full;
    driver.context = &flash;
    assert_true(ys_flash_store_open(&store, &driver));
    assert_true(ys_flash_store_put(&store, 7, two, sizeof two));
    unsigned operations = flash.operations;
    assert_int_equal(flash.erased[1], 1);
    for (unsigned i = 0; i < operations; i++) {
        flash = full;
        assert_true(ys_flash_store_open(&store, &driver));
        flash.left = i;
        assert_false(ys_flash_store_put(&store, 7, two, sizeof two));
        assert_true(flash.dead);
        power_on(&flash, &store, &driver);
        assert_true(has(&store, 7, one, sizeof one) || (i == operations - 1 && has(&store, 7, two, sizeof two)));
        assert_true(has(&store, 8, (uint8_t[60]){3}, 60));
        assert_true(ys_flash_store_put(&store, 7, two, sizeof two)); /* and it goes on */
        assert_true(has(&store, 7, two, sizeof two));
        assert_true(has(&store, 8, (uint8_t[60]){3}, 60));
    }
}

static void worn_cells_are_left_for_the_other_page_and_nothing_is_lost(void **state)
{
    static struct flash flash;
    struct ys_flash driver;
    struct ys_flash_store store;
    (void)state;
    begin(&flash, &driver, 1024, 4);
    power_on(&flash, &store, &driver);
    assert_true(ys_flash_store_put(&store, 1, "kept", 4));
    flash.bad = true;
    flash.bad_page = 0;
    flash.bad_from = 40;
    for (uint8_t i = 0; i < 20; i++)
        assert_true(ys_flash_store_put(&store, 2, (uint8_t[20]){i}, 20));
    assert_int_equal(store.page, 1);
    assert_true(has(&store, 1, (const uint8_t *)"kept", 4));
    unsigned put = 0; /* and once that is full, there is nowhere to go */
    while (ys_flash_store_put(&store, 2, (uint8_t[20]){(uint8_t)(100 + put)}, 20))
        assert_true(++put < 100);
    assert_true(put > 5);
    assert_true(has(&store, 2, (uint8_t[20]){(uint8_t)(100 + put - 1)}, 20));
    power_on(&flash, &store, &driver);
    assert_true(has(&store, 1, (const uint8_t *)"kept", 4));
    assert_true(has(&store, 2, (uint8_t[20]){(uint8_t)(100 + put - 1)}, 20));
}

static void what_does_not_fit_is_refused_and_the_old_one_stays(void **state)
{
    static struct flash flash;
    struct ys_flash driver;
    struct ys_flash_store store;
    uint8_t large[600] = {1};
    (void)state;
    begin(&flash, &driver, 1024, 8);
    power_on(&flash, &store, &driver);
    assert_true(ys_flash_store_put(&store, 1, large, 400));
    assert_true(ys_flash_store_put(&store, 2, large, 400));
    assert_false(ys_flash_store_put(&store, 3, large, 300));
    assert_false(ys_flash_store_put(&store, 2, large, 600));
    assert_false(ys_flash_store_put(&store, 4, large, 0));
    assert_false(ys_flash_store_put(&store, 4, large, 5000));
    assert_true(has(&store, 1, large, 400) && has(&store, 2, large, 400));
    assert_int_equal(ys_flash_store_room(&store), 1024 - 16 - 2 * (16 + 400));
    ys_flash_store_delete(&store, 1);
    assert_true(ys_flash_store_put(&store, 3, large, 300));
    assert_int_equal(ys_flash_store_get(&store, 1, large, sizeof large), 0);
}

static void the_same_record_is_not_written_again(void **state)
{
    static struct flash flash;
    struct ys_flash driver;
    struct ys_flash_store store;
    (void)state;
    begin(&flash, &driver, 1024, 8);
    power_on(&flash, &store, &driver);
    assert_true(ys_flash_store_put(&store, 1, "abc", 3));
    unsigned operations = flash.operations;
    assert_true(ys_flash_store_put(&store, 1, "abc", 3));
    ys_flash_store_delete(&store, 2);
    assert_int_equal(flash.operations, operations);
    assert_true(ys_flash_store_put(&store, 1, "abd", 3));
    assert_true(flash.operations > operations);
}

static void nonsense_in_flash_is_not_believed(void **state)
{
    static struct flash flash;
    struct ys_flash driver;
    struct ys_flash_store store;
    (void)state;
    for (uint32_t seed = 0; seed < 300; seed++) {
        begin(&flash, &driver, 1024, 4);
        flash.seed = seed;
        for (size_t i = 0; i < sizeof flash.pages; i++)
            flash.pages[i / PAGE_MOST][i % PAGE_MOST] = (uint8_t)chance(&flash);
        assert_true(ys_flash_store_open(&store, &driver));
        assert_int_equal(ys_flash_store_get(&store, 1, NULL, 0), 0);
        assert_true(ys_flash_store_put(&store, 1, "abc", 3));
        for (int i = 0; i < 8; i++) { /* a bit turned somewhere costs one record at most, and never gives a false one */
            uint32_t at = chance(&flash) % 60;
            flash.pages[0][at] ^= (uint8_t)(1 << chance(&flash) % 8);
        }
        if (ys_flash_store_open(&store, &driver))
            assert_true(has(&store, 1, (const uint8_t *)"abc", 3) || ys_flash_store_get(&store, 1, NULL, 0) == 0);
    }
}

static void flash_of_impossible_sizes_is_refused(void **state)
{
    static struct flash flash;
    struct ys_flash driver;
    struct ys_flash_store store;
    (void)state;
    const struct {
        uint32_t page_size;
        uint32_t unit;
    } bad[] = {{1024, 0}, {1024, 3}, {1024, 64}, {256, 4}, {1030, 4}, {131072, 4}};
    for (size_t i = 0; i < sizeof bad / sizeof bad[0]; i++) {
        begin(&flash, &driver, 1024, 4);
        driver.page_size = bad[i].page_size;
        driver.unit = bad[i].unit;
        assert_false(ys_flash_store_open(&store, &driver));
        assert_false(ys_flash_store_put(&store, 1, "abc", 3));
        assert_int_equal(ys_flash_store_get(&store, 1, NULL, 0), 0);
        assert_int_equal(flash.operations, 0);
    }
}

/* Ten years of a device that is met twenty times a day by one of eight peers, each of which has its subscriptions kept:
 * docs/porting.md quotes the figure. */
static void ten_years_of_use_wear_the_pages_some_hundred_times(void **state)
{
    static struct flash flash;
    struct ys_flash driver;
    struct ys_flash_store store;
    (void)state;
    begin(&flash, &driver, 4096, 8);
    power_on(&flash, &store, &driver);
    for (uint16_t peer = 0; peer < 8; peer++)
        assert_true(ys_flash_store_put(&store, (uint16_t)(0x100 + peer), (uint8_t[80]){(uint8_t)peer}, 80));
    for (uint32_t met = 0; met < 10 * 365 * 20; met++) {
        uint8_t kept[24];
        memset(kept, (int)(met % 250), sizeof kept);
        assert_true(ys_flash_store_put(&store, (uint16_t)(0x200 + chance(&flash) % 8), kept, sizeof kept));
    }
    print_message("erased %u and %u times\n", flash.erased[0], flash.erased[1]);
    assert_in_range(flash.erased[0], 400, 800);
    assert_in_range(flash.erased[1], 400, 800);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_was_put_is_there_for_every_unit_and_size),
        cmocka_unit_test(a_power_cut_at_any_operation_leaves_the_old_record_or_the_new),
        cmocka_unit_test(each_operation_of_a_copy_may_be_the_last),
        cmocka_unit_test(worn_cells_are_left_for_the_other_page_and_nothing_is_lost),
        cmocka_unit_test(what_does_not_fit_is_refused_and_the_old_one_stays),
        cmocka_unit_test(the_same_record_is_not_written_again),
        cmocka_unit_test(nonsense_in_flash_is_not_believed),
        cmocka_unit_test(flash_of_impossible_sizes_is_refused),
        cmocka_unit_test(ten_years_of_use_wear_the_pages_some_hundred_times),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
