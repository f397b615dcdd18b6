/* The PHYs of Bluetooth Low Energy (Core 5.4 Vol 6 Part B 2.2): one enumeration for all that has a PHY. */
#ifndef YARNSWIFT_PHY_H
#define YARNSWIFT_PHY_H

/* Bits: a field that takes several PHYs takes their sum. */
enum ys_phys { YS_1M = 0x01, YS_2M = 0x02, YS_CODED = 0x04 };

#endif
