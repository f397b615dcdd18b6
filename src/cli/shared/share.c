#include "cli/shared/share.h"

#include <stdio.h>
#include <unistd.h>

#include "cli/shared/say.h"
#include "cli/shared/verb.h"

#define PARTS_MOST 1000000

bool share_has(int key)
{
    return key >= SHARE_KEY_RESULTS && key <= SHARE_KEY_UNDONE;
}

bool share_take(struct share *share, const char *who, int key, const char *argument)
{
    if (key == SHARE_KEY_RESULTS)
        share->results = argument;
    share->merge = share->merge || key == SHARE_KEY_MERGE;
    share->undone = share->undone || key == SHARE_KEY_UNDONE;
    return key != SHARE_KEY_PART || results_take_part(who, argument, PARTS_MOST, &share->part, &share->parts);
}

/* FNV-1a. */
uint64_t share_stamp(char *const *paths, int count)
{
    uint64_t stamp = UINT64_C(14695981039346656037);
    for (int i = 0; i < count; i++) {
        FILE *file = fopen(paths[i], "rb");
        for (int byte; file != NULL && (byte = fgetc(file)) != EOF;)
            stamp = (stamp ^ (unsigned)byte) * UINT64_C(1099511628211);
        if (file != NULL)
            (void)fclose(file);
    }
    return stamp;
}

bool share_fits(const struct share *share, const char *who, const struct common *common)
{
    if (!share->undone)
        return true;
    if (share->results == NULL)
        return complain(who, "--undone needs --results");
    if (common->page != NULL)
        return complain(who, "--undone computes nothing: omit --page");
    return access(share->results, R_OK) == 0 || complain(who, "cannot open %s", share->results);
}

int share_merge(const struct share *share, const char *who, const struct common *common, const char *what)
{
    return results_merge_all(who, share->results, common, what) ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
}

bool share_is_mine(const struct share *share, unsigned long long index)
{
    return index % share->parts == share->part - 1;
}

void share_say_undone(const struct share *share, const char *name, unsigned long long index)
{
    if (share->parts > 1)
        (void)printf("%llu/%llu  ", index % share->parts + 1, share->parts);
    (void)printf("%s\n", name);
}
