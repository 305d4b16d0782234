/* kinds.c — the kinds of stand-ins that come with the library. */
#include "board/board_state.h"

const oak_stand_in_kind *oak_stand_in_kind_at(unsigned number)
{
    static const oak_stand_in_kind *const all[] = {&oak_kind_lamp,
                                                   &oak_kind_lamp_bar,
                                                   &oak_kind_digits,
                                                   &oak_kind_button,
                                                   &oak_kind_switch,
                                                   &oak_kind_keypad,
                                                   &oak_kind_encoder,
                                                   &oak_kind_relay,
                                                   &oak_kind_motor,
                                                   &oak_kind_heater,
                                                   &oak_kind_pulse_sensor,
                                                   &oak_kind_shift_register,
                                                   &oak_kind_memory,
                                                   &oak_kind_external_memory,
                                                   &oak_kind_eeprom_two_wire,
                                                   &oak_kind_eeprom_four_wire,
                                                   &oak_kind_character_display,
                                                   &oak_kind_terminal};
    return number < sizeof all / sizeof *all ? all[number] : NULL;
}
