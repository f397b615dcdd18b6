/* What a client can say that it supports. */
#ifndef HOST_GATT_SERVER_FEATURES_H
#define HOST_GATT_SERVER_FEATURES_H

/* Bits of the client supported features (Vol 3 Part G 7.2). */
#define FEATURE_ROBUST_CACHING         0x01
#define FEATURE_MULTIPLE_NOTIFICATIONS 0x04
#define FEATURES_KNOWN                 0x07

#endif
