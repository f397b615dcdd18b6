/* The Torvane T2 on a workstation: what stands for its buttons and its timer in the demo and in scenes. */
#ifndef WRENCH_WORKSTATION_H
#define WRENCH_WORKSTATION_H

#include <yarnswift/workstation.h>

extern const struct ys_firmware wrench_firmware;

#endif
