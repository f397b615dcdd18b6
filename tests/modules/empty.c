/* A library that is no module of firmware. */
extern const int nothing_of_use;
const int nothing_of_use = 1;
