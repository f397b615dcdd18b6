/* The static variables of a loaded library, as they were at one time: a device that is switched on finds its RAM as its
 * start-up code leaves it. */
#ifndef WORLD_IMAGE_H
#define WORLD_IMAGE_H

#include <stdbool.h>

struct ys_image;

/* Keeps what the variables of the library that has this address hold now. NULL if there is no memory, or no such
 * library. */
struct ys_image *ys_image_new(const void *inside);
void ys_image_free(struct ys_image *image);

/* Lets them hold that again. */
void ys_image_restore(const struct ys_image *image);

#endif
