/* block.h — devices built from blocks: what every kind offers, and what it may ask of the machine around it.
 *
 * A block knows no registers. It has roles ("period", "run"), numbered here and named in part files; the machine breaks a
 * register access into its roles. A role is read with get and written with set; both are told the cycle of the access, to
 * which the block has been brought before. */
#ifndef OAK_PERIPH_BLOCK_H
#define OAK_PERIPH_BLOCK_H

#include "base/course.h"
#include "periph/gpio.h"

#define OAK_PORT_ROLES(X)                                                                                    \
    X(OAK_PORT_DIRECTION, "direction")                                                                       \
    X(OAK_PORT_OUTPUT, "output")                                                                             \
    X(OAK_PORT_INPUT, "input")                                                                               \
    X(OAK_PORT_SET, "set")                                                                                   \
    X(OAK_PORT_CLEAR, "clear")                                                                               \
    X(OAK_PORT_TOGGLE, "toggle")                                                                             \
    X(OAK_PORT_PULL, "pull-up")                                                                              \
    X(OAK_PORT_RISE, "rise")                                                                                 \
    X(OAK_PORT_FALL, "fall")                                                                                 \
    X(OAK_PORT_PENDING, "pending")                                                                           \
    X(OAK_PORT_DATA, "data")                                                                                 \
    X(OAK_PORT_INPUTS, "inputs")                                                                             \
    X(OAK_PORT_LOOSE, "pull-ups-off")                                                                        \
    X(OAK_PORT_FALLING, "falling")                                                                           \
    X(OAK_PORT_EDGES, "edges")                                                                               \
    X(OAK_PORT_EDGE_INTERRUPT, "edge-interrupt")                                                             \
    X(OAK_PORT_PULLS, "pulls")                                                                               \
    X(OAK_PORT_OTHERS, "other-functions")                                                                    \
    X(OAK_PORT_ALL_UP, "pull-ups-on")                                                                        \
    X(OAK_PORT_LATCH_LOOSE, "latch-pull-ups-off")
#define OAK_TIMER_ROLES(X)                                                                                   \
    X(OAK_TIMER_RUN, "run")                                                                                  \
    X(OAK_TIMER_COUNT, "count")                                                                              \
    X(OAK_TIMER_PERIOD, "period")                                                                            \
    X(OAK_TIMER_PRESCALE, "prescale")                                                                        \
    X(OAK_TIMER_COMPARE, "compare")                                                                          \
    X(OAK_TIMER_OVERFLOW, "overflow")                                                                        \
    X(OAK_TIMER_MATCH, "match")                                                                              \
    X(OAK_TIMER_OVERFLOW_INTERRUPT, "overflow-interrupt")                                                    \
    X(OAK_TIMER_MATCH_INTERRUPT, "match-interrupt")                                                          \
    X(OAK_TIMER_DRIVE, "drive")
#define OAK_SERIAL_ROLES(X)                                                                                  \
    X(OAK_SERIAL_RUN, "run")                                                                                 \
    X(OAK_SERIAL_DATA, "data")                                                                               \
    X(OAK_SERIAL_DIVISOR, "divisor")                                                                         \
    X(OAK_SERIAL_ROOM, "room")                                                                               \
    X(OAK_SERIAL_SENT, "sent")                                                                               \
    X(OAK_SERIAL_RECEIVED, "received")                                                                       \
    X(OAK_SERIAL_OVERRUN, "overrun")                                                                         \
    X(OAK_SERIAL_ROOM_INTERRUPT, "room-interrupt")                                                           \
    X(OAK_SERIAL_RECEIVED_INTERRUPT, "received-interrupt")                                                   \
    X(OAK_SERIAL_DIVISOR_LOW, "divisor-low")                                                                 \
    X(OAK_SERIAL_DIVISOR_HIGH, "divisor-high")                                                               \
    X(OAK_SERIAL_ARRIVED, "arrived")                                                                         \
    X(OAK_SERIAL_COUNT, "count")                                                                             \
    X(OAK_SERIAL_FAST, "fast")                                                                               \
    X(OAK_SERIAL_SENDS, "sends")                                                                             \
    X(OAK_SERIAL_RECEIVES, "receives")                                                                       \
    X(OAK_SERIAL_NINE_OUT, "nine-out")                                                                       \
    X(OAK_SERIAL_NINE_IN, "nine-in")                                                                         \
    X(OAK_SERIAL_NINTH_OUT, "ninth-out")                                                                     \
    X(OAK_SERIAL_NINTH_IN, "ninth-in")                                                                       \
    X(OAK_SERIAL_FRAMING, "framing")                                                                         \
    X(OAK_SERIAL_ROOM_URGENT, "room-urgent")                                                                 \
    X(OAK_SERIAL_RECEIVED_URGENT, "received-urgent")                                                         \
    X(OAK_SERIAL_HELD, "held")                                                                               \
    X(OAK_SERIAL_BUSY, "busy")                                                                               \
    X(OAK_SERIAL_SIXTEENTHS, "sixteenths")                                                                   \
    X(OAK_SERIAL_COUNT_HIGH, "count-high")                                                                   \
    X(OAK_SERIAL_TWICE, "twice")                                                                             \
    X(OAK_SERIAL_COMPLETE, "complete")                                                                       \
    X(OAK_SERIAL_COMPLETE_INTERRUPT, "complete-interrupt")
#define OAK_WATCHDOG_ROLES(X)                                                                                \
    X(OAK_WATCHDOG_RUN, "run")                                                                               \
    X(OAK_WATCHDOG_PERIOD, "period")                                                                         \
    X(OAK_WATCHDOG_FEED, "feed")                                                                             \
    X(OAK_WATCHDOG_COUNT, "count")
#define OAK_PAIR_ROLES(X)                                                                                    \
    X(OAK_PAIR_RUN_0, "run-0")                                                                               \
    X(OAK_PAIR_RUN_1, "run-1")                                                                               \
    X(OAK_PAIR_MODE_0, "mode-0")                                                                             \
    X(OAK_PAIR_MODE_1, "mode-1")                                                                             \
    X(OAK_PAIR_EDGES_0, "edges-0")                                                                           \
    X(OAK_PAIR_EDGES_1, "edges-1")                                                                           \
    X(OAK_PAIR_GATE_0, "gate-0")                                                                             \
    X(OAK_PAIR_GATE_1, "gate-1")                                                                             \
    X(OAK_PAIR_LOW_0, "low-0")                                                                               \
    X(OAK_PAIR_LOW_1, "low-1")                                                                               \
    X(OAK_PAIR_HIGH_0, "high-0")                                                                             \
    X(OAK_PAIR_HIGH_1, "high-1")                                                                             \
    X(OAK_PAIR_OVERFLOW_0, "overflow-0")                                                                     \
    X(OAK_PAIR_OVERFLOW_1, "overflow-1")
#define OAK_CAPTURE_ROLES(X)                                                                                 \
    X(OAK_CAPTURE_RUN, "run")                                                                                \
    X(OAK_CAPTURE_EDGES, "edges")                                                                            \
    X(OAK_CAPTURE_MODE, "capture")                                                                           \
    X(OAK_CAPTURE_LISTEN, "listen")                                                                          \
    X(OAK_CAPTURE_RECEIVE_CLOCK, "receive-clock")                                                            \
    X(OAK_CAPTURE_SEND_CLOCK, "send-clock")                                                                  \
    X(OAK_CAPTURE_OVERFLOW, "overflow")                                                                      \
    X(OAK_CAPTURE_EDGE, "edge")                                                                              \
    X(OAK_CAPTURE_LOW, "low")                                                                                \
    X(OAK_CAPTURE_HIGH, "high")                                                                              \
    X(OAK_CAPTURE_KEPT_LOW, "kept-low")                                                                      \
    X(OAK_CAPTURE_KEPT_HIGH, "kept-high")
#define OAK_EDGE_ROLES(X)                                                                                    \
    X(OAK_EDGE_FALLING_0, "falling-0")                                                                       \
    X(OAK_EDGE_FALLING_1, "falling-1")                                                                       \
    X(OAK_EDGE_PENDING_0, "pending-0")                                                                       \
    X(OAK_EDGE_PENDING_1, "pending-1")
#define OAK_FRAMED_ROLES(X)                                                                                  \
    X(OAK_FRAMED_MODE_HIGH, "mode-high")                                                                     \
    X(OAK_FRAMED_MODE_LOW, "mode-low")                                                                       \
    X(OAK_FRAMED_STATIONS, "stations")                                                                       \
    X(OAK_FRAMED_RECEIVE, "receive")                                                                         \
    X(OAK_FRAMED_NINTH_OUT, "ninth-out")                                                                     \
    X(OAK_FRAMED_NINTH_IN, "ninth-in")                                                                       \
    X(OAK_FRAMED_SENT, "sent")                                                                               \
    X(OAK_FRAMED_RECEIVED, "received")                                                                       \
    X(OAK_FRAMED_DATA, "data")                                                                               \
    X(OAK_FRAMED_DOUBLE, "double")

#define OAK_HANDSHAKE_ROLES(X)                                                                               \
    X(OAK_HANDSHAKE_OUTPUT, "output")                                                                        \
    X(OAK_HANDSHAKE_INPUT, "input")                                                                          \
    X(OAK_HANDSHAKE_STROBED, "strobed")                                                                      \
    X(OAK_HANDSHAKE_FULL, "full")                                                                            \
    X(OAK_HANDSHAKE_WAITING, "waiting")                                                                      \
    X(OAK_HANDSHAKE_WAS_TAKEN, "was-taken")                                                                  \
    X(OAK_HANDSHAKE_FULL_INTERRUPT, "full-interrupt")                                                        \
    X(OAK_HANDSHAKE_TAKEN_INTERRUPT, "taken-interrupt")
#define OAK_DOWN_ROLES(X)                                                                                    \
    X(OAK_DOWN_RUN, "run")                                                                                   \
    X(OAK_DOWN_EDGES, "edges")                                                                               \
    X(OAK_DOWN_SLOW, "slow")                                                                                 \
    X(OAK_DOWN_PRESCALE, "prescale")                                                                         \
    X(OAK_DOWN_RELOAD, "reload")                                                                             \
    X(OAK_DOWN_COUNT, "count")                                                                               \
    X(OAK_DOWN_ZERO, "zero")                                                                                 \
    X(OAK_DOWN_INTERRUPT, "interrupt")
#define OAK_WIRED_ROLES(X) X(OAK_WIRED_ASKS, "asks")
#define OAK_PRESCALED_ROLES(X)                                                                               \
    X(OAK_PRESCALED_TIME, "count")                                                                           \
    X(OAK_PRESCALED_EDGES, "edges")                                                                          \
    X(OAK_PRESCALED_FALLING, "falling")                                                                      \
    X(OAK_PRESCALED_LENT, "lent")                                                                            \
    X(OAK_PRESCALED_RATE, "rate")                                                                            \
    X(OAK_PRESCALED_OVERFLOW, "overflow")                                                                    \
    X(OAK_PRESCALED_INTERRUPT, "interrupt")
#define OAK_EVENTS_ROLES(X)                                                                                  \
    X(OAK_EVENTS_RISING, "rising")                                                                           \
    X(OAK_EVENTS_EDGE_FLAG, "edge")                                                                          \
    X(OAK_EVENTS_EDGE_INTERRUPT, "edge-interrupt")                                                           \
    X(OAK_EVENTS_CHANGED, "changed")                                                                         \
    X(OAK_EVENTS_CHANGE_INTERRUPT, "change-interrupt")                                                       \
    X(OAK_EVENTS_COMPARED, "compared")                                                                       \
    X(OAK_EVENTS_EDGE_URGENT, "edge-urgent")                                                                 \
    X(OAK_EVENTS_CHANGE_URGENT, "change-urgent")
#define OAK_EEPROM_ROLES(X)                                                                                  \
    X(OAK_EEPROM_ADDRESS, "address")                                                                         \
    X(OAK_EEPROM_DATA, "data")                                                                               \
    X(OAK_EEPROM_ALLOW, "allow")                                                                             \
    X(OAK_EEPROM_READ, "read")                                                                               \
    X(OAK_EEPROM_WRITE, "write")                                                                             \
    X(OAK_EEPROM_UNLOCK, "unlock")                                                                           \
    X(OAK_EEPROM_DONE, "done")                                                                               \
    X(OAK_EEPROM_INTERRUPT, "interrupt")                                                                     \
    X(OAK_EEPROM_URGENT, "urgent")                                                                           \
    X(OAK_EEPROM_ELSEWHERE, "elsewhere")                                                                     \
    X(OAK_EEPROM_ADDRESS_HIGH, "address-high")                                                               \
    X(OAK_EEPROM_OPENS, "opens")                                                                             \
    X(OAK_EEPROM_HALF, "half")
#define OAK_TIMEOUT_ROLES(X)                                                                                 \
    X(OAK_TIMEOUT_LENT, "lent")                                                                              \
    X(OAK_TIMEOUT_RATE, "rate")
#define OAK_WIDE_ROLES(X)                                                                                    \
    X(OAK_WIDE_RUN, "run")                                                                                   \
    X(OAK_WIDE_EDGES, "edges")                                                                               \
    X(OAK_WIDE_FALLING, "falling")                                                                           \
    X(OAK_WIDE_RATE, "rate")                                                                                 \
    X(OAK_WIDE_DIRECT, "direct")                                                                             \
    X(OAK_WIDE_NARROW, "narrow")                                                                             \
    X(OAK_WIDE_BUFFERED, "buffered")                                                                         \
    X(OAK_WIDE_LOW, "low")                                                                                   \
    X(OAK_WIDE_HIGH, "high")                                                                                 \
    X(OAK_WIDE_OVERFLOW, "overflow")                                                                         \
    X(OAK_WIDE_INTERRUPT, "interrupt")                                                                       \
    X(OAK_WIDE_URGENT, "urgent")
#define OAK_PERIOD_ROLES(X)                                                                                  \
    X(OAK_PERIOD_RUN, "run")                                                                                 \
    X(OAK_PERIOD_RATE, "rate")                                                                               \
    X(OAK_PERIOD_EVERY, "every")                                                                             \
    X(OAK_PERIOD_COUNT, "count")                                                                             \
    X(OAK_PERIOD_TOP, "top")                                                                                 \
    X(OAK_PERIOD_MATCH, "match")                                                                             \
    X(OAK_PERIOD_INTERRUPT, "interrupt")                                                                     \
    X(OAK_PERIOD_URGENT, "urgent")
#define OAK_CHANNEL_ROLES(X)                                                                                 \
    X(OAK_CHANNEL_MODE, "mode")                                                                              \
    X(OAK_CHANNEL_FINE_HIGH, "fine-high")                                                                    \
    X(OAK_CHANNEL_FINE_LOW, "fine-low")                                                                      \
    X(OAK_CHANNEL_FINE, "fine")                                                                              \
    X(OAK_CHANNEL_LOW, "low")                                                                                \
    X(OAK_CHANNEL_HIGH, "high")                                                                              \
    X(OAK_CHANNEL_SECOND_ALWAYS, "second-always")                                                            \
    X(OAK_CHANNEL_SECOND, "second")                                                                          \
    X(OAK_CHANNEL_EVENT, "event")                                                                            \
    X(OAK_CHANNEL_INTERRUPT, "interrupt")                                                                    \
    X(OAK_CHANNEL_URGENT, "urgent")
#define OAK_COMPARE_ROLES(X)                                                                                 \
    X(OAK_COMPARE_SOURCE, "source")                                                                          \
    X(OAK_COMPARE_DIVIDER, "divider")                                                                        \
    X(OAK_COMPARE_MODE, "mode")                                                                              \
    X(OAK_COMPARE_CLEAR, "clear")                                                                            \
    X(OAK_COMPARE_INTERRUPT, "interrupt")                                                                    \
    X(OAK_COMPARE_OVERFLOW, "overflow")                                                                      \
    X(OAK_COMPARE_NOW, "count")                                                                              \
    X(OAK_COMPARE_CAUSE, "cause")                                                                            \
    X(OAK_COMPARE_EDGES_0, "edges-0")                                                                        \
    X(OAK_COMPARE_INPUT_0, "input-0")                                                                        \
    X(OAK_COMPARE_LATCHED_0, "latched-0")                                                                    \
    X(OAK_COMPARE_CAPTURES_0, "captures-0")                                                                  \
    X(OAK_COMPARE_OUTPUT_0, "output-0")                                                                      \
    X(OAK_COMPARE_INTERRUPT_0, "interrupt-0")                                                                \
    X(OAK_COMPARE_LEVEL_0, "level-0")                                                                        \
    X(OAK_COMPARE_SET_0, "set-0")                                                                            \
    X(OAK_COMPARE_LOST_0, "lost-0")                                                                          \
    X(OAK_COMPARE_EVENT_0, "event-0")                                                                        \
    X(OAK_COMPARE_VALUE_0, "value-0")                                                                        \
    X(OAK_COMPARE_EDGES_1, "edges-1")                                                                        \
    X(OAK_COMPARE_INPUT_1, "input-1")                                                                        \
    X(OAK_COMPARE_LATCHED_1, "latched-1")                                                                    \
    X(OAK_COMPARE_CAPTURES_1, "captures-1")                                                                  \
    X(OAK_COMPARE_OUTPUT_1, "output-1")                                                                      \
    X(OAK_COMPARE_INTERRUPT_1, "interrupt-1")                                                                \
    X(OAK_COMPARE_LEVEL_1, "level-1")                                                                        \
    X(OAK_COMPARE_SET_1, "set-1")                                                                            \
    X(OAK_COMPARE_LOST_1, "lost-1")                                                                          \
    X(OAK_COMPARE_EVENT_1, "event-1")                                                                        \
    X(OAK_COMPARE_VALUE_1, "value-1")                                                                        \
    X(OAK_COMPARE_EDGES_2, "edges-2")                                                                        \
    X(OAK_COMPARE_INPUT_2, "input-2")                                                                        \
    X(OAK_COMPARE_LATCHED_2, "latched-2")                                                                    \
    X(OAK_COMPARE_CAPTURES_2, "captures-2")                                                                  \
    X(OAK_COMPARE_OUTPUT_2, "output-2")                                                                      \
    X(OAK_COMPARE_INTERRUPT_2, "interrupt-2")                                                                \
    X(OAK_COMPARE_LEVEL_2, "level-2")                                                                        \
    X(OAK_COMPARE_SET_2, "set-2")                                                                            \
    X(OAK_COMPARE_LOST_2, "lost-2")                                                                          \
    X(OAK_COMPARE_EVENT_2, "event-2")                                                                        \
    X(OAK_COMPARE_VALUE_2, "value-2")
#define OAK_INTERVAL_ROLES(X)                                                                                \
    X(OAK_INTERVAL_KEY, "key")                                                                               \
    X(OAK_INTERVAL_HOLD, "hold")                                                                             \
    X(OAK_INTERVAL_COUNTS, "counts")                                                                         \
    X(OAK_INTERVAL_CLEAR, "clear")                                                                           \
    X(OAK_INTERVAL_SOURCE, "source")                                                                         \
    X(OAK_INTERVAL_INTERVAL, "interval")                                                                     \
    X(OAK_INTERVAL_EVENT, "event")                                                                           \
    X(OAK_INTERVAL_INTERRUPT, "interrupt")

#define OAK_FREE_ROLES(X)                                                                                    \
    X(OAK_FREE_RUN, "run")                                                                                   \
    X(OAK_FREE_RATE, "rate")                                                                                 \
    X(OAK_FREE_COUNT, "count")                                                                               \
    X(OAK_FREE_OVERFLOW, "overflow")                                                                         \
    X(OAK_FREE_INTERRUPT, "interrupt")                                                                       \
    X(OAK_FREE_FAST, "fast")
#define OAK_ON_TIMER_ROLES(X)                                                                                \
    X(OAK_ON_TIMER_COMPARES, "compares")                                                                     \
    X(OAK_ON_TIMER_OUTPUT, "output")                                                                         \
    X(OAK_ON_TIMER_EDGES, "edges")                                                                           \
    X(OAK_ON_TIMER_VALUE, "value")                                                                           \
    X(OAK_ON_TIMER_EVENT, "event")                                                                           \
    X(OAK_ON_TIMER_INTERRUPT, "interrupt")                                                                   \
    X(OAK_ON_TIMER_FORCE, "force")
#define OAK_RATE_ROLES(X)                                                                                    \
    X(OAK_RATE_RATE, "rate")                                                                                 \
    X(OAK_RATE_STEPS, "steps")                                                                               \
    X(OAK_RATE_EVENT, "event")                                                                               \
    X(OAK_RATE_INTERRUPT, "interrupt")
#define OAK_ARMED_ROLES(X)                                                                                   \
    X(OAK_ARMED_RATE, "rate")                                                                                \
    X(OAK_ARMED_ARM, "arm")

#define OAK_MACHINE_ROLES(X)                                                                                 \
    X(OAK_MACHINE_TIME, "time")                                                                              \
    X(OAK_MACHINE_TIME_HIGH, "time-high")                                                                    \
    X(OAK_MACHINE_MOMENT, "moment")                                                                          \
    X(OAK_MACHINE_MOMENT_HIGH, "moment-high")                                                                \
    X(OAK_MACHINE_REQUEST, "request")

#define OAK_WAVE_ROLES(X)                                                                                    \
    X(OAK_WAVE_WAVEFORM, "waveform")                                                                         \
    X(OAK_WAVE_WAVEFORM_HIGH, "waveform-high")                                                               \
    X(OAK_WAVE_CLOCK, "clock")                                                                               \
    X(OAK_WAVE_RESTART, "restart")                                                                           \
    X(OAK_WAVE_LOW, "low")                                                                                   \
    X(OAK_WAVE_HIGH, "high")                                                                                 \
    X(OAK_WAVE_A_LOW, "a-low")                                                                               \
    X(OAK_WAVE_A_HIGH, "a-high")                                                                             \
    X(OAK_WAVE_B_LOW, "b-low")                                                                               \
    X(OAK_WAVE_B_HIGH, "b-high")                                                                             \
    X(OAK_WAVE_KEPT_LOW, "kept-low")                                                                         \
    X(OAK_WAVE_KEPT_HIGH, "kept-high")                                                                       \
    X(OAK_WAVE_OUTPUT_A, "output-a")                                                                         \
    X(OAK_WAVE_OUTPUT_B, "output-b")                                                                         \
    X(OAK_WAVE_FORCE_A, "force-a")                                                                           \
    X(OAK_WAVE_FORCE_B, "force-b")                                                                           \
    X(OAK_WAVE_RISING, "rising")                                                                             \
    X(OAK_WAVE_FILTER, "filter")                                                                             \
    X(OAK_WAVE_OVERFLOW, "overflow")                                                                         \
    X(OAK_WAVE_MATCH_A, "match-a")                                                                           \
    X(OAK_WAVE_MATCH_B, "match-b")                                                                           \
    X(OAK_WAVE_CAPTURED, "captured")                                                                         \
    X(OAK_WAVE_OVERFLOW_INTERRUPT, "overflow-interrupt")                                                     \
    X(OAK_WAVE_A_INTERRUPT, "a-interrupt")                                                                   \
    X(OAK_WAVE_B_INTERRUPT, "b-interrupt")                                                                   \
    X(OAK_WAVE_CAPTURED_INTERRUPT, "captured-interrupt")
#define OAK_REQUEST_ROLES(X)                                                                                 \
    X(OAK_REQUEST_SENSE, "sense")                                                                            \
    X(OAK_REQUEST_MASK, "mask")                                                                              \
    X(OAK_REQUEST_EVENT, "event")                                                                            \
    X(OAK_REQUEST_INTERRUPT, "interrupt")
#define OAK_GUARDED_ROLES(X)                                                                                 \
    X(OAK_GUARDED_RATE, "rate")                                                                              \
    X(OAK_GUARDED_RATE_HIGH, "rate-high")                                                                    \
    X(OAK_GUARDED_CHANGE, "change")                                                                          \
    X(OAK_GUARDED_RESETS, "resets")                                                                          \
    X(OAK_GUARDED_INTERRUPT, "interrupt")                                                                    \
    X(OAK_GUARDED_EVENT, "event")                                                                            \
    X(OAK_GUARDED_CAUSED, "caused")

#define OAK_ROLE_NUMBER(number, name) number,
enum oak_port_role { OAK_PORT_ROLES(OAK_ROLE_NUMBER) OAK_PORT_ROLE_COUNT };
enum oak_timer_role { OAK_TIMER_ROLES(OAK_ROLE_NUMBER) OAK_TIMER_ROLE_COUNT };
enum oak_serial_role { OAK_SERIAL_ROLES(OAK_ROLE_NUMBER) OAK_SERIAL_ROLE_COUNT };
enum oak_watchdog_role { OAK_WATCHDOG_ROLES(OAK_ROLE_NUMBER) OAK_WATCHDOG_ROLE_COUNT };
enum oak_pair_role { OAK_PAIR_ROLES(OAK_ROLE_NUMBER) OAK_PAIR_ROLE_COUNT };
enum oak_capture_role { OAK_CAPTURE_ROLES(OAK_ROLE_NUMBER) OAK_CAPTURE_ROLE_COUNT };
enum oak_edge_role { OAK_EDGE_ROLES(OAK_ROLE_NUMBER) OAK_EDGE_ROLE_COUNT };
enum oak_framed_role { OAK_FRAMED_ROLES(OAK_ROLE_NUMBER) OAK_FRAMED_ROLE_COUNT };
enum oak_handshake_role { OAK_HANDSHAKE_ROLES(OAK_ROLE_NUMBER) OAK_HANDSHAKE_ROLE_COUNT };
enum oak_down_role { OAK_DOWN_ROLES(OAK_ROLE_NUMBER) OAK_DOWN_ROLE_COUNT };
enum oak_wired_role { OAK_WIRED_ROLES(OAK_ROLE_NUMBER) OAK_WIRED_ROLE_COUNT };
enum oak_prescaled_role { OAK_PRESCALED_ROLES(OAK_ROLE_NUMBER) OAK_PRESCALED_ROLE_COUNT };
enum oak_events_role { OAK_EVENTS_ROLES(OAK_ROLE_NUMBER) OAK_EVENTS_ROLE_COUNT };
enum oak_eeprom_role { OAK_EEPROM_ROLES(OAK_ROLE_NUMBER) OAK_EEPROM_ROLE_COUNT };
enum oak_timeout_role { OAK_TIMEOUT_ROLES(OAK_ROLE_NUMBER) OAK_TIMEOUT_ROLE_COUNT };
enum oak_wide_role { OAK_WIDE_ROLES(OAK_ROLE_NUMBER) OAK_WIDE_ROLE_COUNT };
enum oak_period_role { OAK_PERIOD_ROLES(OAK_ROLE_NUMBER) OAK_PERIOD_ROLE_COUNT };
enum oak_channel_role { OAK_CHANNEL_ROLES(OAK_ROLE_NUMBER) OAK_CHANNEL_ROLE_COUNT };
enum oak_compare_role { OAK_COMPARE_ROLES(OAK_ROLE_NUMBER) OAK_COMPARE_ROLE_COUNT };
enum oak_interval_role { OAK_INTERVAL_ROLES(OAK_ROLE_NUMBER) OAK_INTERVAL_ROLE_COUNT };
enum oak_free_role { OAK_FREE_ROLES(OAK_ROLE_NUMBER) OAK_FREE_ROLE_COUNT };
enum oak_on_timer_role { OAK_ON_TIMER_ROLES(OAK_ROLE_NUMBER) OAK_ON_TIMER_ROLE_COUNT };
enum oak_rate_role { OAK_RATE_ROLES(OAK_ROLE_NUMBER) OAK_RATE_ROLE_COUNT };
enum oak_armed_role { OAK_ARMED_ROLES(OAK_ROLE_NUMBER) OAK_ARMED_ROLE_COUNT };
enum oak_machine_role { OAK_MACHINE_ROLES(OAK_ROLE_NUMBER) OAK_MACHINE_ROLE_COUNT };
enum oak_wave_role { OAK_WAVE_ROLES(OAK_ROLE_NUMBER) OAK_WAVE_ROLE_COUNT };
enum oak_request_role { OAK_REQUEST_ROLES(OAK_ROLE_NUMBER) OAK_REQUEST_ROLE_COUNT };
enum oak_guarded_role { OAK_GUARDED_ROLES(OAK_ROLE_NUMBER) OAK_GUARDED_ROLE_COUNT };
#undef OAK_ROLE_NUMBER

/* The pins of the kinds that use some. */
enum oak_serial_use { OAK_SERIAL_RECEIVE_PIN, OAK_SERIAL_SEND_PIN };
enum oak_pair_use { OAK_PAIR_COUNT_0, OAK_PAIR_COUNT_1, OAK_PAIR_OPEN_0, OAK_PAIR_OPEN_1 };
enum oak_capture_use { OAK_CAPTURE_COUNT, OAK_CAPTURE_TRIGGER };
enum oak_edge_use { OAK_EDGE_INPUT_0, OAK_EDGE_INPUT_1 };
enum oak_framed_use { OAK_FRAMED_RECEIVE_PIN, OAK_FRAMED_SEND_PIN };
enum oak_handshake_use {
    OAK_HANDSHAKE_PINS, /* the first of eight */
    OAK_HANDSHAKE_STROBE,
    OAK_HANDSHAKE_FREE,
    OAK_HANDSHAKE_OFFER,
    OAK_HANDSHAKE_TAKEN
};
enum oak_down_use { OAK_DOWN_COUNT_PIN, OAK_DOWN_PULSE_PIN };
enum oak_wired_use { OAK_WIRED_PIN };
enum oak_prescaled_use { OAK_PRESCALED_COUNT };
enum oak_wide_use { OAK_WIDE_COUNT };
enum oak_channel_use { OAK_CHANNEL_PIN };
enum oak_on_timer_use { OAK_ON_TIMER_PIN };
enum oak_compare_use { OAK_COMPARE_COUNT, OAK_COMPARE_PIN_0 /* and of the other units */ };
enum oak_wave_use { OAK_WAVE_COUNT, OAK_WAVE_PIN_A, OAK_WAVE_PIN_B, OAK_WAVE_CAPTURE };
enum oak_request_use { OAK_REQUEST_PIN /* the first of eight, with a mask */ };
enum oak_events_use { OAK_EVENTS_EDGE, OAK_EVENTS_CHANGING /* the first of four */ };

typedef struct oak_timer {
    bool running, drives, overflow, match, overflow_interrupt, match_interrupt;
    uint32_t period, prescale, compare;
    uint32_t count; /* at the cycle `since` */
    uint64_t since;
    uint64_t handled; /* events before and at this cycle are in the flags */
} oak_timer;

enum { OAK_SERIAL_KEPT = 65536, OAK_SERIAL_WAIT = 3 };
typedef struct oak_serial {
    bool running, shifting, holding, overrun, room_interrupt, received_interrupt;
    bool sided;  /* sends and receives apart */
    bool looked; /* at the flag of a byte that waits */
    bool completes, complete, complete_interrupt, twice;
    bool counted, fast, sends, receives, nine_out, nine_in, ninth_out, room_urgent, received_urgent;
    uint8_t received;       /* bytes that wait */
    uint16_t shifter, held; /* with a ninth bit */
    uint16_t waiting
        [OAK_SERIAL_WAIT]; /* the oldest first; bit 8: the ninth, bit 9: it came without its stop bit */
    uint32_t divisor;      /* cycles of a bit; counted: of so many and one more in 16 cycles, or 4 */
    uint32_t length;       /* the same, of the byte in the shifter */
    uint64_t done;         /* when the byte in the shifter is out */
    uint8_t bit;           /* of it, that comes next on the pin */
    bool receiving, line_high;
    uint8_t in_bit;
    uint16_t in_byte;
    uint32_t in_length;
    uint64_t in_began;
} oak_serial;

/* What was sent and has not been taken yet; the oldest is dropped when there is too much. */
typedef struct oak_sent {
    uint8_t *bytes;
    uint64_t *cycles; /* when each had gone out */
    size_t count, room;
} oak_sent;

/* A register that counts up by itself, some steps a cycle, or by pin edges; worked out only when somebody asks. */
typedef struct oak_counter {
    bool running; /* by itself */
    uint8_t per_cycle;
    uint32_t count, top, reload; /* at `since`; the value behind the last one; what it begins with again */
    uint64_t since;
    uint64_t overflows; /* in all, up to `since` */
} oak_counter;

typedef struct oak_timer_pair {
    bool run[2], edges[2], gate[2], overflow[2];
    uint8_t mode[2], low[2], high[2];
    oak_counter counter[3]; /* the third counts in the high byte of timer 0 in mode 3 */
    bool seen[2];           /* level of the count pins */
    bool open[2];           /* of the gates */
    uint64_t step_at[2];    /* when an edge that was seen has counted, UINT64_MAX: none */
    uint64_t settled;       /* the counters have been brought to this cycle */
} oak_timer_pair;

typedef struct oak_capture_timer {
    bool run, edges, capture, listen, receive_clock, send_clock, overflow, edge;
    uint8_t kept_low, kept_high;
    oak_counter counter;
    bool seen, seen_trigger;
    uint64_t step_at, trigger_at;
} oak_capture_timer;

typedef struct oak_edge_inputs {
    bool falling[2], pending[2], seen[2];
    bool level[2]; /* since the last change, to be sampled in the cycle before `due` */
    uint64_t due;  /* UINT64_MAX: has been sampled */
} oak_edge_inputs;

/* What counts the sixteenths of a bit: overflows of a timer, turned into ticks. */
typedef struct oak_bit_clock {
    bool second;          /* the clock is the capture timer */
    bool halved;          /* two overflows a tick */
    uint64_t base, ticks; /* overflows and ticks when this began */
} oak_bit_clock;

typedef struct oak_framed_serial {
    bool mode_high, mode_low, stations, receive, ninth_out, ninth_in, sent, received, doubled;
    uint8_t data;           /* received */
    oak_bit_clock clock[2]; /* of the sender, of the receiver */
    bool sending;
    uint16_t frame; /* bits still to send, lowest first */
    uint8_t frame_bits;
    uint64_t next_bit; /* the tick, or cycle in mode 0, of the next bit */
    uint8_t bit;       /* its number */
    bool receiving;
    uint8_t sample, ones, in_bit;
    uint16_t in_frame;
    uint64_t next_sample;
    bool line_high; /* the receive pin */
    uint8_t sending_byte;
} oak_framed_serial;

typedef struct oak_handshake {
    bool strobed, full, offered, was_taken, full_interrupt, taken_interrupt;
    bool seen_strobe, seen_taken;
    uint8_t kept, output;
} oak_handshake;

typedef struct oak_down_counter {
    bool running, edges, slow, zero, interrupt;
    bool level, seen; /* of the pin that is turned over, and of the one whose edges count */
    uint32_t prescale, reload;
    uint32_t count; /* at the cycle `since` */
    uint64_t since;
} oak_down_counter;

typedef struct oak_prescaled_timer {
    bool edges, falling, lent, overflow, interrupt;
    bool seen;                  /* level of the pin */
    uint32_t rate, count, part; /* part: of a step, at `since` */
    uint64_t since;
} oak_prescaled_timer;

typedef struct oak_timeout {
    bool runs, lent;
    uint32_t rate;
    uint64_t fed;
} oak_timeout;

typedef struct oak_wide_timer {
    bool run, edges, falling, direct, narrow, buffered, overflow, interrupt, urgent, seen;
    uint8_t kept;                    /* the high byte, on its way in or out */
    uint32_t rate, count, part, top; /* part: of a step, at `since`; behind `top` comes 0 */
    uint64_t since;
} oak_wide_timer;

typedef struct oak_period_timer {
    bool run, match, interrupt, urgent;
    uint32_t rate, every, count, top, part, turns; /* turns: since the last match that was told */
    uint64_t since;
} oak_period_timer;

typedef struct oak_channel {
    bool event, interrupt, urgent, second, second_always, seen, level,
        fell; /* level: of its pin; fell: in this turn of a pulse */
    uint8_t mode, fine, low, high, edges;
    uint32_t width,
        last; /* of the pulse of this turn, in quarters of a step; the count when it was looked at last */
    uint64_t settled,
        due; /* matches and turns up to `settled` are done; due: the next match, as far as it is known */
} oak_channel;

enum {
    OAK_COMPARE_UNITS = 3,
    OAK_COMPARE_UNIT_0 = OAK_COMPARE_EDGES_0,
    OAK_COMPARE_UNIT_ROLES = OAK_COMPARE_EDGES_1 - OAK_COMPARE_EDGES_0
};
enum { OAK_COMPARE_EDGES, OAK_COMPARE_SLOW, OAK_COMPARE_MAIN };                   /* sources */
enum { OAK_COMPARE_STANDS, OAK_COMPARE_UP, OAK_COMPARE_ROUND, OAK_COMPARE_BACK }; /* modes */
typedef struct oak_compare_timer {
    uint8_t source, divider, mode;
    bool interrupt, overflow, down, pin_high;
    uint32_t count, part; /* part: cycles, or edges, of a step that are over */
    uint64_t since;
    struct oak_compare_unit {
        uint8_t edges, input, output;
        bool captures, interrupt, event, lost, unread, set, out, latched, level;
        uint32_t value;
    } unit[OAK_COMPARE_UNITS];
} oak_compare_timer;

typedef struct oak_interval_watchdog {
    bool held, counts, source, event, interrupt, keyed;
    bool touched;                /* somebody has written to it since reset */
    uint8_t interval, key, next; /* next: what was written, until the key has been looked at */
    uint64_t gone, since;        /* cycles that are over at `since` */
} oak_interval_watchdog;

typedef struct oak_free_timer {
    bool runs, overflow, interrupt, fast;
    uint8_t rate;
    uint32_t count, part; /* at the cycle `since`; part: cycles of a step that are over */
    uint64_t since;
} oak_free_timer;

typedef struct oak_timer_channel {
    bool compares, event, interrupt, level, out;
    uint8_t output, edges;
    uint32_t value;
    uint64_t since; /* matches up to here have been seen */
} oak_timer_channel;

typedef struct oak_rate_interrupt {
    uint8_t rate, steps;
    bool event, interrupt;
    uint64_t gone, since; /* cycles of a turn that are over at `since` */
} oak_rate_interrupt;

typedef struct oak_armed_watchdog {
    uint8_t rate;
    bool set, half;       /* its rate has been; the first of two bytes has come */
    uint64_t gone, since; /* cycles that are over at `since` */
} oak_armed_watchdog;

typedef struct oak_machine_timer {
    uint64_t ahead, moment; /* the time is the cycle and so many more */
    bool request;
} oak_machine_timer;

typedef struct oak_pin_events {
    bool rising, edge, edge_interrupt, changed, change_interrupt, edge_urgent, change_urgent;
    bool seen;
    uint32_t compared;
} oak_pin_events;

typedef struct oak_eeprom {
    bool allow, done, interrupt, urgent, elsewhere;
    uint8_t half; /* 1 erases alone, 2 writes alone */
    uint8_t data, value,
        unlocked;         /* unlocked: how many of the two bytes have come, the last at unlocked_at */
    uint32_t address, to; /* to, value: of the write that is under way */
    uint64_t unlocked_at, done_at; /* done_at: UINT64_MAX while nothing is written */
} oak_eeprom;

typedef struct oak_wave_timer {
    uint8_t waveform, clock, output[2];
    bool rising, filter, down, blocked; /* blocked: the next step is no match */
    bool seen, seen_capture;            /* levels of the pins */
    bool event[4], interrupt[4];        /* overflow, a, b, captured */
    bool out[2];
    uint8_t kept;                                /* the high byte on its way, in or out */
    uint32_t count, match[2], next[2], captured; /* next: what becomes of match[] at the end of a turn */
    uint64_t since, base;                        /* the prescaler began at `base` */
} oak_wave_timer;

typedef struct oak_pin_request {
    uint8_t sense;
    bool event, interrupt;
    uint32_t mask, seen;
} oak_pin_request;

typedef struct oak_guarded_watchdog {
    uint8_t rate;
    bool resets, interrupt, event, caused, bitten;
    struct {
        uint8_t rate;
        bool change, resets;
    } written;
    uint64_t since, opened; /* opened: when its setting may be changed, for four cycles */
} oak_guarded_watchdog;

typedef struct oak_watchdog {
    bool running;
    uint32_t period;
    uint64_t fed;
} oak_watchdog;

typedef struct oak_block oak_block;
enum { OAK_CLOCK_MAIN = 1, OAK_CLOCK_SLOW = 2 };

/* What a block asks of the machine. */
typedef struct oak_block_services {
    void *machine;
    const oak_host *host;
    void (*interrupt)(void *machine, unsigned line, bool level, uint64_t from);
    void (*bite)(void *machine, oak_fault fault); /* a watchdog resets the chip */
    /* A block drives a pin in place of the latch, or with it, or lets it go again. */
    void (*put)(void *machine, unsigned pin, bool drives, bool high, uint64_t now);
    bool (*level)(void *machine, unsigned pin);                 /* what a reading instruction would see */
    oak_block *(*first_of)(void *machine, oak_block_kind kind); /* NULL: the part has none */
    /* Something a chip suffers silently. */
    void (*suffer)(void *machine, oak_fault fault, uint32_t address, uint64_t now);
    /* There was no memory for something the program has done. */
    void (*lose)(void *machine);
    /* Reads or writes a cell of the memory that a block names, counted from its first one. */
    void (*kept)(void *machine, const oak_block *block, uint32_t index, uint8_t *value, bool writes);
    oak_block *(*numbered)(void *machine, unsigned number); /* another one, by its place in the part */
    unsigned (*stopped)(void *machine);                     /* clocks that stand still, a bit each */
    void (*stall)(void *machine, uint32_t cycles);          /* the core stands for so long */
} oak_block_services;

struct oak_block {
    const oak_part_block *about;
    const oak_block_services *services;
    bool lines[OAK_MOST_BLOCK_LINES]; /* its interrupts are asked for */
    uint64_t next;                    /* as advance has told */
    uint32_t asked;                   /* of a role that is taken: the bits that the instruction looks at */
    union {
        oak_gpio *port;
        oak_timer timer;
        oak_serial serial;
        oak_watchdog watchdog;
        oak_timer_pair pair;
        oak_capture_timer capture;
        oak_edge_inputs edges;
        oak_framed_serial framed;
        oak_handshake handshake;
        oak_down_counter down;
        oak_prescaled_timer prescaled;
        oak_pin_events events;
        oak_eeprom eeprom;
        oak_timeout timeout;
        oak_wide_timer wide;
        oak_period_timer period;
        oak_channel channel;
        oak_compare_timer compare;
        oak_interval_watchdog interval;
        oak_free_timer free;
        oak_timer_channel on_timer;
        oak_rate_interrupt rated;
        oak_armed_watchdog armed;
        oak_machine_timer machine;
        oak_wave_timer wave;
        oak_pin_request request;
        oak_guarded_watchdog guarded;
    } as;
    oak_sent sent; /* of a serial port */
};

typedef struct oak_block_ops {
    void (*reset)(oak_block *block, uint64_t now);
    uint32_t (*get)(oak_block *block, unsigned role, uint64_t now);
    /* True when something may happen sooner than advance has said. */
    bool (*set)(oak_block *block, unsigned role, uint32_t value, uint64_t now);
    /* Brings it to `now` and returns the cycle at which something happens next that others notice, UINT64_MAX for never. */
    uint64_t (*advance)(oak_block *block, uint64_t now);
    /* Shows what it remembers. */
    void (*visit)(oak_block *block, const oak_state_visitor *visitor);
    /* These may be NULL. Levels of pins have changed at the beginning of the cycle `now`. */
    void (*pins)(oak_block *block, uint64_t now);
    /* The interrupt of one of its lines is being served. */
    void (*served)(oak_block *block, unsigned which, uint64_t now);
    /* All roles of a register have been set. */
    void (*written)(oak_block *block, uint64_t now);
    /* An instruction has read a role. */
    void (*taken)(oak_block *block, unsigned role, uint64_t now);
    /* How a role goes on from `now`, to which the block has been brought, if nobody reaches the machine and no cycle passes that advance has told. NULL:
     * nobody knows. Begins with one that stays for ever. */
    void (*course)(oak_block *block, unsigned role, uint64_t now, oak_course *course);
} oak_block_ops;

#define OAK_VISIT(object, name_, type)                                                                       \
    {                                                                                                        \
        uint64_t value_ = (object)->name_;                                                                   \
        visitor->number(visitor->context, block->about->name, #name_, &value_);                              \
        (object)->name_ = (type)value_;                                                                      \
    }

extern const oak_block_ops oak_port_block, oak_timer_block, oak_serial_block, oak_watchdog_block,
    oak_timer_pair_block, oak_capture_timer_block, oak_edge_inputs_block, oak_framed_serial_block,
    oak_handshake_block, oak_down_counter_block, oak_wired_line_block, oak_prescaled_timer_block,
    oak_pin_events_block, oak_eeprom_block, oak_timeout_block, oak_wide_timer_block, oak_period_timer_block,
    oak_channel_block, oak_compare_timer_block, oak_interval_watchdog_block, oak_free_timer_block,
    oak_timer_channel_block, oak_rate_interrupt_block, oak_armed_watchdog_block, oak_machine_timer_block,
    oak_wave_timer_block, oak_pin_request_block, oak_guarded_watchdog_block;

static inline const oak_block_ops *oak_block_ops_of(const oak_block *block)
{
    static const oak_block_ops *const all[] = {[OAK_BLOCK_PORT] = &oak_port_block,
                                               [OAK_BLOCK_TIMER] = &oak_timer_block,
                                               [OAK_BLOCK_SERIAL] = &oak_serial_block,
                                               [OAK_BLOCK_WATCHDOG] = &oak_watchdog_block,
                                               [OAK_BLOCK_TIMER_PAIR] = &oak_timer_pair_block,
                                               [OAK_BLOCK_CAPTURE_TIMER] = &oak_capture_timer_block,
                                               [OAK_BLOCK_EDGE_INPUTS] = &oak_edge_inputs_block,
                                               [OAK_BLOCK_FRAMED_SERIAL] = &oak_framed_serial_block,
                                               [OAK_BLOCK_HANDSHAKE] = &oak_handshake_block,
                                               [OAK_BLOCK_DOWN_COUNTER] = &oak_down_counter_block,
                                               [OAK_BLOCK_WIRED_LINE] = &oak_wired_line_block,
                                               [OAK_BLOCK_PRESCALED_TIMER] = &oak_prescaled_timer_block,
                                               [OAK_BLOCK_PIN_EVENTS] = &oak_pin_events_block,
                                               [OAK_BLOCK_EEPROM] = &oak_eeprom_block,
                                               [OAK_BLOCK_TIMEOUT] = &oak_timeout_block,
                                               [OAK_BLOCK_WIDE_TIMER] = &oak_wide_timer_block,
                                               [OAK_BLOCK_PERIOD_TIMER] = &oak_period_timer_block,
                                               [OAK_BLOCK_CHANNEL] = &oak_channel_block,
                                               [OAK_BLOCK_COMPARE_TIMER] = &oak_compare_timer_block,
                                               [OAK_BLOCK_INTERVAL_WATCHDOG] = &oak_interval_watchdog_block,
                                               [OAK_BLOCK_FREE_TIMER] = &oak_free_timer_block,
                                               [OAK_BLOCK_TIMER_CHANNEL] = &oak_timer_channel_block,
                                               [OAK_BLOCK_RATE_INTERRUPT] = &oak_rate_interrupt_block,
                                               [OAK_BLOCK_ARMED_WATCHDOG] = &oak_armed_watchdog_block,
                                               [OAK_BLOCK_MACHINE_TIMER] = &oak_machine_timer_block,
                                               [OAK_BLOCK_WAVE_TIMER] = &oak_wave_timer_block,
                                               [OAK_BLOCK_PIN_REQUEST] = &oak_pin_request_block,
                                               [OAK_BLOCK_GUARDED_WATCHDOG] = &oak_guarded_watchdog_block};
    return all[block->about->kind];
}

/* Raises or lowers the interrupt line of a block when that is a change. */
void oak_block_interrupt(oak_block *block, bool level);
/* Takes note of edges on the pins of a port. */
void oak_port_edges(oak_block *block);
/* The cycle at which a watchdog bites, UINT64_MAX while it does not run. */
uint64_t oak_watchdog_bites_at(const oak_block *block);
uint64_t oak_interval_watchdog_ends_at(const oak_block *block);
uint64_t oak_armed_watchdog_ends_at(const oak_block *block);
uint64_t oak_guarded_watchdog_resets_at(const oak_block *block);
/* A byte arrives at a serial port. */
void oak_serial_receive(oak_block *block, uint8_t byte, uint64_t now);
void oak_framed_serial_receive(oak_block *block, uint8_t byte, uint64_t now);
/* Keeps a byte that was sent. */
void oak_serial_keep(oak_block *block, uint8_t byte, uint64_t cycle);
/* As oak_block_interrupt, for a line that can be noticed from the cycle `from` on. */
void oak_block_ask(oak_block *block, unsigned which, bool level, uint64_t from);
/* Shows which of its lines are asked for, so many. */
void oak_block_visit_lines(oak_block *block, const oak_state_visitor *visitor, unsigned count);

/* Asks on the first line where it is urgent, else on the second. */
void oak_block_ask_by(oak_block *block, bool urgent, bool asks);
/* Does writing 1 to a role do something, and 0 nothing? Or is there nothing to write back? An instruction that changes one bit leaves such alone. */
bool oak_role_acts(oak_block_kind kind, unsigned role);
/* Does the part give it this role? */
bool oak_block_has(const oak_block *block, unsigned role);
/* The cycle at which the count becomes a value, UINT64_MAX for never; brings it to `now`. */
uint64_t oak_wide_timer_time(oak_block *block, uint32_t value, uint64_t now);
/* The cycle at which its turn began, and at which the next one will (UINT64_MAX: never); brings it to `now`. Returns cycles of a step. */
uint32_t oak_period_timer_turn(oak_block *block, uint64_t now, uint64_t *began, uint64_t *next);

/* The course of what changes only where advance has told, or somebody reaches it. */
void oak_block_stands(oak_block *block, unsigned role, uint64_t now, oak_course *course);
/* A count that is `value` now, `part` cycles of `step` being over at `since`, goes on for `left` steps; `shown`: it is what the role shows, from bit `shift`
 * on. Nothing else of the block changes sooner. */
typedef struct oak_counting {
    uint64_t since, left, value;
    uint32_t part, step;
    bool down, shown;
    uint8_t shift;
} oak_counting;
void oak_block_counts(oak_course *course, uint64_t now, const oak_counting *counting);

/* counter.c */
void oak_counter_settle(oak_counter *counter, uint64_t now);
void oak_counter_step(oak_counter *counter);
/* The cycle at which the overflows in all are `count`, UINT64_MAX for never. */
uint64_t oak_counter_time(const oak_counter *counter, uint64_t count);

#endif
