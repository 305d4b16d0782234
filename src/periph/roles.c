/* roles.c — the kinds of blocks and the names of what their registers and fields do, as part files write them. */
#include "periph/block.h"

#include "base/text.h"

static const char *const port_roles[] = {
#define ROLE(number, name) [number] = name,
    OAK_PORT_ROLES(ROLE) NULL};
static const char *const timer_roles[] = {OAK_TIMER_ROLES(ROLE) NULL};
static const char *const serial_roles[] = {OAK_SERIAL_ROLES(ROLE) NULL};
static const char *const watchdog_roles[] = {OAK_WATCHDOG_ROLES(ROLE) NULL};
#undef ROLE

static const char *const *const roles[] = {[OAK_BLOCK_PORT] = port_roles,
                                           [OAK_BLOCK_TIMER] = timer_roles,
                                           [OAK_BLOCK_SERIAL] = serial_roles,
                                           [OAK_BLOCK_WATCHDOG] = watchdog_roles};

const char *oak_block_role_name(oak_block_kind kind, unsigned role)
{
    static const uint8_t counts[] = {[OAK_BLOCK_PORT] = OAK_PORT_ROLE_COUNT,
                                     [OAK_BLOCK_TIMER] = OAK_TIMER_ROLE_COUNT,
                                     [OAK_BLOCK_SERIAL] = OAK_SERIAL_ROLE_COUNT,
                                     [OAK_BLOCK_WATCHDOG] = OAK_WATCHDOG_ROLE_COUNT};
    return role < counts[kind] ? roles[kind][role] : NULL;
}

int oak_block_role(oak_block_kind kind, const char *name)
{
    const char *other;
    for (unsigned i = 0; (other = oak_block_role_name(kind, i)); i++)
        if (oak_same(name, other)) return (int)i;
    return -1;
}

const char *oak_block_kind_name(oak_block_kind kind)
{
    static const char *const names[] = {"port", "timer", "serial", "watchdog"};
    return names[kind];
}
