/* Start-up code: the processor's own vectors, memory as C expects it, the stack painted so that its deepest point can
 * be found, and faults (Cortex-M0 to M33). The board adds the vectors of its interrupts in section .vectors.board. */
#include "cortex_m/start.h"

#include <stdbool.h>
#include <string.h>

#define PAINT UINT32_C(0x5afe57ac)
#define CFSR  (*(volatile const uint32_t *)UINT32_C(0xe000ed28)) /* of the larger ones */

extern uint32_t _stack_begin[], _stack_end[], _data_begin[], _data_end[], _bss_begin[], _bss_end[];
extern const uint32_t _data_from[];

int main(void);
void start(void);
void fault(void);
static void (*pended)(void *);
static void *pended_argument;

static void copy(uint32_t *to, const uint32_t *end, const uint32_t *from)
{
    while (to < end)
        *to++ = *from++;
}

static void fill(uint32_t *from, const uint32_t *end, uint32_t word)
{
    while (from < end)
        *from++ = word;
}

__attribute__((noreturn)) void start(void)
{
    const uint32_t *in_use;
    __asm volatile("mrs %0, msp" : "=r"(in_use));
    fill(_stack_begin, in_use - 32, PAINT);
    copy(_data_begin, _data_end, _data_from);
    fill(_bss_begin, _bss_end, 0);
    (void)main();
    for (;;) {
    }
}

uint32_t start_stack_deepest(uint32_t *size)
{
    const uint32_t *at = _stack_begin;
    uintptr_t end = (uintptr_t)_stack_end;
    while ((uintptr_t)at < end && *at == PAINT)
        at++;
    *size = (uint32_t)(end - (uintptr_t)_stack_begin);
    return (uint32_t)(end - (uintptr_t)at);
}

/* Registers: those that the processor saved on the stack, and the others. */
struct frame {
    uint32_t r[4];
    uint32_t r12;
    uint32_t lr;
    uint32_t pc;
    uint32_t status;
};

void fault_in(const struct frame *frame, const uint32_t high[8]);
void fault_in(const struct frame *frame, const uint32_t high[8])
{
    uint32_t registers[17];
    uint32_t why = 0;
    memcpy(registers, frame->r, sizeof frame->r);
    memcpy(registers + 4, high, 8 * sizeof high[0]);
    registers[12] = frame->r12;
    registers[13] = (uint32_t)(uintptr_t)(frame + 1);
    registers[14] = frame->lr;
    registers[15] = frame->pc;
    registers[16] = frame->status;
#if __ARM_ARCH_6M__ == 0
    why = CFSR;
#endif
    port_fault(registers, why);
}

/* Both stacks can be the one in use; r4 to r11 are as they were. */
__attribute__((naked)) void fault(void)
{
    __asm volatile("mrs r0, msp\n"
                   "mov r1, lr\n"
                   "movs r2, #4\n"
                   "tst r1, r2\n"
                   "beq 1f\n"
                   "mrs r0, psp\n"
                   "1:\n"
                   "mov r3, r11\n"
                   "mov r2, r10\n"
                   "push {r2, r3}\n"
                   "mov r3, r9\n"
                   "mov r2, r8\n"
                   "push {r2, r3}\n"
                   "push {r4, r5, r6, r7}\n"
                   "mov r1, sp\n"
                   "bl fault_in\n"
                   "2: b 2b\n");
}

/* A call in an interrupt, as the lowest of all. */
#define ICSR    (*(volatile uint32_t *)UINT32_C(0xe000ed04))
#define PENDING (UINT32_C(1) << 28)

void pend(void);
void pend(void)
{
    void (*call)(void *) = pended;
    pended = NULL;
    if (call != NULL)
        call(pended_argument);
}

void start_interrupt(void (*call)(void *argument), void *argument)
{
    pended = call;
    pended_argument = argument;
    ICSR = PENDING;
    __asm volatile("dsb\nisb" ::: "memory");
}

bool start_in_interrupt(void)
{
    uint32_t number;
    __asm volatile("mrs %0, ipsr" : "=r"(number));
    return number != 0;
}

__attribute__((section(".vectors.core"), used)) static const void *const vectors[16] = {
    [0] = _stack_end,           [1] = (const void *)start, [2] = (const void *)fault,  [3] = (const void *)fault,
    [4] = (const void *)fault,  [5] = (const void *)fault, [6] = (const void *)fault,  [7] = (const void *)fault,
    [11] = (const void *)fault, [14] = (const void *)pend, [15] = (const void *)fault,
};
