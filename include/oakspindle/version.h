/* version.h — the version of the interface. Within one major version, old programs keep building. */
#ifndef OAKSPINDLE_VERSION_H
#define OAKSPINDLE_VERSION_H

#define OAK_VERSION_MAJOR 0
#define OAK_VERSION_MINOR 1
#define OAK_VERSION_PATCH 0
#define OAK_VERSION_TEXT  "0.1.0"

#ifdef __cplusplus
extern "C" {
#endif

/* Returns the version of the library that is running, as "major.minor.patch". */
const char *oak_version(void);

#ifdef __cplusplus
}
#endif
#endif
