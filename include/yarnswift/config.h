/* Every size that can be configured. Define a name on the compiler's command line, alike for the library and for all
 * that includes its headers, to change it; or define YS_CONFIG_FILE as the name of a header with several of them, such
 * as the NAME_config.h that is generated: -DYS_CONFIG_FILE='"NAME_config.h"'. ys_host_init notices when the two
 * disagree. */
#ifndef YARNSWIFT_CONFIG_H
#define YARNSWIFT_CONFIG_H

#ifdef YS_CONFIG_FILE
#include YS_CONFIG_FILE
#endif

/* Connections at once, in both roles together: 1 to 32. Each costs about 2 x YS_MTU + 100 bytes of RAM. */
#ifndef YS_CONNECTIONS
#define YS_CONNECTIONS 3
#endif

/* Largest ATT MTU that the host agrees to, in bytes: 23 to 517 (Core 5.4 Vol 3 Part F 3.2.8). Below 65 it saves no more
 * memory, since a public key that comes while pairing has to fit. */
#ifndef YS_MTU
#define YS_MTU 247
#endif

/* The MTU that a host asks for and agrees to if its settings do not say: 23 to YS_MTU. */
#ifndef YS_MTU_PREFERRED
#define YS_MTU_PREFERRED YS_MTU
#endif

/* Characteristics of one table that can notify or indicate: 1 to 1024. Each costs 4 bytes and 3 bits a connection. */
#ifndef YS_NOTIFIABLES
#define YS_NOTIFIABLES 16
#endif

/* Memory for queued writes of all connections together, in bytes: 0 (they are refused) or 24 to 4096. A long value of n
 * bytes takes n + 8. */
#ifndef YS_QUEUE_SIZE
#define YS_QUEUE_SIZE 520
#endif

/* Advertising sets of a host that uses them, see sets.h: 1 to 16. Each costs 20 bytes. */
#ifndef YS_SETS
#define YS_SETS 3
#endif

/* The longest extended report that a host which uses sets puts together, in bytes: 31 to 1650. What is longer is cut.
 */
#ifndef YS_REPORT_SIZE
#define YS_REPORT_SIZE 251
#endif

/* 1: a call from where it is not allowed is refused with YS_ERROR_CONTEXT, and named in the log. 0: it is not looked
 * for. */
#ifndef YS_DEBUG
#define YS_DEBUG 0
#endif

/* How long the controller may take to answer a command, in milliseconds: 100 to 60000. */
#ifndef YS_COMMAND_TIMEOUT_MS
#define YS_COMMAND_TIMEOUT_MS 2000
#endif

#if YS_CONNECTIONS < 1 || YS_CONNECTIONS > 32
#error "YS_CONNECTIONS must be 1 to 32"
#endif
#if YS_MTU < 23 || YS_MTU > 517
#error "YS_MTU must be 23 to 517"
#endif
#if YS_MTU_PREFERRED < 23 || YS_MTU_PREFERRED > YS_MTU
#error "YS_MTU_PREFERRED must be 23 to YS_MTU"
#endif
#if YS_QUEUE_SIZE != 0 && (YS_QUEUE_SIZE < 24 || YS_QUEUE_SIZE > 4096)
#error "YS_QUEUE_SIZE must be 0, or 24 to 4096"
#endif
#if YS_SETS < 1 || YS_SETS > 16
#error "YS_SETS must be 1 to 16"
#endif
#if YS_REPORT_SIZE < 31 || YS_REPORT_SIZE > 1650
#error "YS_REPORT_SIZE must be 31 to 1650"
#endif
#if YS_NOTIFIABLES < 1 || YS_NOTIFIABLES > 1024
#error "YS_NOTIFIABLES must be 1 to 1024"
#endif

#endif
