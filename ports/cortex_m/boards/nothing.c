/* An empty file, which yarnswift_image compiles while tables are generated. */
typedef int nothing;
