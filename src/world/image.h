/* Firmware as an image: what is flashed, played by an emulator that keeps step. To a device it is a module whose host
 * is elsewhere. */
#ifndef WORLD_IMAGE_H
#define WORLD_IMAGE_H

#include <yarnswift/workstation.h>

#include "design/making/layout.h"
#include "emulated/target.h"
#include "world/world.h"

struct ys_image;

/* Opens an image whose table must be that of `design`. NULL, with why and what to do in `problem`. */
struct ys_image *ys_image_open(const char *path, const struct ys_design *design, char *problem, size_t size);
void ys_image_close(struct ys_image *image);

/* What a device is made with; the image's own. */
const struct ys_module *ys_image_module(const struct ys_image *image);

/* Whose it is, before the device is started. */
void ys_image_belongs(struct ys_image *image, struct ys_world *world, const char *device);

/* Changes one of its inputs, by its number. */
void ys_image_set(struct ys_image *image, size_t input, int64_t value);

/* It has no power any more; when its host is made again, it starts as after a reset. */
void ys_image_stop(struct ys_image *image);

/* What it has to tell at the end; false if it cannot. */
struct ys_target *ys_image_report(struct ys_image *image);

#endif
