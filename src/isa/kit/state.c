/* state.c — registers, and what a core remembers beside them, as tables. */
#include "base/bytes.h"
#include "isa/kit/table.h"

static uint8_t *register_at(const oak_core *core, unsigned reg)
{
    return (uint8_t *)(uintptr_t)core + kit_look(core)->arch->registers_at[reg].offset;
}

oak_status kit_read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    const kit_arch *arch = kit_look(core)->arch;
    if (reg >= arch->isa->about.register_count) return OAK_OUT_OF_RANGE;
    const uint8_t *at = register_at(core, reg);
    if (arch->registers_at[reg].pair) {
        *value = (uint32_t)(at[0] | at[1] << 8);
        return OAK_OK;
    }
    switch (arch->registers_at[reg].bytes) {
    case 1: *value = *at; break;
    case 2: {
        uint16_t half;
        memcpy(&half, at, sizeof half);
        *value = half;
        break;
    }
    default: memcpy(value, at, sizeof *value); break;
    }
    if (reg == arch->isa->about.pc_register) *value = kit_address(core, *value);
    return OAK_OK;
}

oak_status kit_write_register(oak_core *core, unsigned reg, uint32_t value)
{
    kit_core *kit = kit_of(core);
    if (reg >= kit->arch->isa->about.register_count) return OAK_OUT_OF_RANGE;
    unsigned bits = kit->arch->isa->about.registers[reg].bits;
    if (bits < 32 && value >> bits) return OAK_OUT_OF_RANGE;
    uint8_t *at = register_at(core, reg);
    uint16_t half = (uint16_t)value;
    if (reg == kit->arch->isa->about.pc_register) value = kit_slot(core, value);
    if (kit->arch->registers_at[reg].pair) at[1] = (uint8_t)(value >> 8);
    switch (kit->arch->registers_at[reg].pair ? 1 : kit->arch->registers_at[reg].bytes) {
    case 1: *at = (uint8_t)value; break;
    case 2: memcpy(at, &half, sizeof half); break;
    default: memcpy(at, &value, sizeof value); break;
    }
    kit->attention = true;
    return OAK_OK;
}

/* Fields of 1, 2, 4 or 8 bytes as numbers. */
static uint64_t number_at(const void *at, unsigned bytes)
{
    uint64_t whole;
    uint32_t word;
    uint16_t half;
    if (bytes == 1) return *(const uint8_t *)at;
    memcpy(&half, at, sizeof half);
    if (bytes == 2) return half;
    memcpy(&word, at, sizeof word);
    if (bytes == 4) return word;
    memcpy(&whole, at, sizeof whole);
    return whole;
}

void kit_visit(oak_core *core, const oak_state_visitor *visitor)
{
    static const kit_inner shared[] = {
        {"blocked", offsetof(kit_core, blocked), 1, 1}, {"resets", offsetof(kit_core, resets), 1, 1}, {0}};
    const kit_inner *lists[] = {kit_look(core)->arch->inner, shared};
    for (unsigned l = 0; l < 2; l++)
        for (const kit_inner *one = lists[l]; one && one->name; one++) {
            void *at = (char *)(void *)core + one->offset;
            uint64_t value = number_at(at, one->bytes);
            visitor->number(visitor->context, "core", one->name, &value);
            if (value > one->most) value = one->most;
            uint16_t half = (uint16_t)value;
            uint32_t word = (uint32_t)value;
            if (one->bytes == 1) *(uint8_t *)at = (uint8_t)value;
            else if (one->bytes == 2) memcpy(at, &half, sizeof half);
            else if (one->bytes == 4) memcpy(at, &word, sizeof word);
            else memcpy(at, &value, sizeof value);
        }
    kit_of(core)->attention = true;
}
