/* Asked once: what a machine can do does not change. */
#include "machine/instructions.h"

#include <stdatomic.h>
#include <stdlib.h>

enum { ASKED = 1, AES = 2, PRODUCTS = 4 };

/* Threads that ask at the same time find the same. */
static atomic_uint known;

static unsigned ask(void)
{
    unsigned answer = ASKED;
#if YS_MACHINE_KNOWN
    answer |= __builtin_cpu_supports("aes") && __builtin_cpu_supports("sse4.1") ? AES : 0;
    answer |= __builtin_cpu_supports("pclmul") && __builtin_cpu_supports("sse4.1") ? PRODUCTS : 0;
#endif
    return answer;
}

static bool has(unsigned what)
{
    unsigned answer = atomic_load_explicit(&known, memory_order_relaxed);
    if (answer == 0) {
        const char *plain = getenv("YARNSWIFT_PLAIN");
        answer = plain != NULL && *plain != '\0' ? ASKED : ask();
        atomic_store_explicit(&known, answer, memory_order_relaxed);
    }
    return (answer & what) != 0;
}

bool ys_machine_has_aes(void)
{
    return has(AES);
}

bool ys_machine_has_products(void)
{
    return has(PRODUCTS);
}

void ys_machine_be_plain(bool plain)
{
    atomic_store_explicit(&known, plain ? ASKED : ask(), memory_order_relaxed);
}
