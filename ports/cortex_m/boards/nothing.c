/* What yarnswift_image compiles for this machine while it has tables generated: nothing. */
typedef int nothing;
