; kiln.asm — controls a pottery kiln: brings it up at given rates, holds it, and lets it cool.
;
; SysTick ticks every millisecond. The sensor gives a pulse whose width is the temperature; its edges interrupt, and timer 1
; tells the time between them. Ten times a second the main program compares the temperature with where the firing
; should be, and sets the share of time the heater is on. A line goes out of the serial port once a second.
;
; The limit switch interrupts with the highest priority. Nothing holds that interrupt back, so the relay falls within
; `promised` cycles, whatever the program does. The tests try every cycle of a second.

        include "pins.inc"

clock           equ  72000000
tick_hz         equ  1000
minute          equ  500                ; ticks of a minute of the programme: short, so that a firing can be watched
step            equ  100                ; ticks between two steps of the control
baud            equ  115200
full            equ  1000               ; the heater is on all the time
promised        equ  40                 ; cycles from the limit switch to the relay

; Temperatures are kept in 1/256 degree.
fraction        equ  256
gain            equ  12                 ; thousandths of full power a degree of error
integral_gain   equ  1                  ; and, every 16 steps, a degree of error

; One stretch of the programme: to a temperature, at a rate, and how long to stay there.
struct stretch
target: ds   4                          ; degrees
rate:   ds   4                          ; degrees a minute
hold:   ds   4                          ; minutes
ends

        vector stack, stack_top
        vector reset, start
        vector hard_fault, broken
        vector systick, tick
        vector p1, sensor_edge
        vector p2, limit_reached

        org  0x100

; ---------------------------------------------------------------------------------------------- starting

start:  ldr  r4, =ticks                 ; RAM holds anything at first
        ldr  r5, =rose
        movs r0, #0
.clear: str  r0, [r4], #4
        cmp  r4, r5
        bls  .clear
        ldr  r4, =P0_DIR
        mov  r0, #(1 << relay) | (1 << lamp) | (1 << 6) | (1 << 8)
        str  r0, [r4]
        bl   open_clock
        bl   open_serial
        bl   open_heater
        bl   open_sensor
        bl   open_interrupts
        ldr  r0, =hello
        bl   send_text

        ldr  r0, =P2_IN                 ; not while it is too hot
        ldr  r0, [r0]
        lsrs r0, r0, #limit + 1
        bcs  stopped
        ldr  r4, =P0_SET                ; the firing begins: relay and lamp
        movs r0, #(1 << relay) | (1 << lamp)
        str  r0, [r4]
        ldr  r0, =programme
        ldr  r1, =current
        str  r0, [r1]

; ---------------------------------------------------------------------------------------------- the main program

again:  wfi                             ; a tick or an edge wakes it
        ldr  r4, =ticks
        ldr  r0, [r4]
        ldr  r5, =next_step
        ldr  r1, [r5]
        cmp  r0, r1
        blo  again
        adds r1, r1, #step
        str  r1, [r5]

        ldr  r0, =WDG_FEED
        movw r1, #0x5afe
        str  r1, [r0]
        bl   follow_programme
        bl   control
        bl   report
        ldr  r0, =current
        ldr  r0, [r0]
        ldr  r1, [r0, #stretch_target]
        cmp  r1, #0
        bne  again

finished:                               ; the last stretch is over
        ldr  r0, =P0_CLR
        movs r1, #(1 << relay) | (1 << lamp)
        str  r1, [r0]
        ldr  r0, =done
        bl   send_text
        b    stopped

; Moves the wanted temperature along the programme.
follow_programme:
        push {r4-r7, lr}
        ldr  r4, =current
        ldr  r5, [r4]                   ; the stretch
        ldr  r6, =wanted
        ldr  r0, [r6]
        ldr  r1, [r5, #stretch_target]
        mov  r2, #fraction
        mul  r1, r1, r2
        ldr  r3, [r5, #stretch_rate]
        mul  r3, r3, r2                 ; a minute has minute / step steps
        mov  r7, #minute / step
        udiv r3, r3, r7
        cmp  r0, r1
        beq  .holds
        blo  .rises
        subs r0, r0, r3                 ; cooling
        cmp  r0, r1
        it   lt
        movlt r0, r1
        b    .moved
.rises: adds r0, r0, r3
        cmp  r0, r1
        it   hi
        movhi r0, r1
.moved: str  r0, [r6]
        pop  {r4-r7, pc}
.holds: ldr  r6, =held                  ; steps at this temperature
        ldr  r0, [r6]
        adds r0, r0, #1
        str  r0, [r6]
        ldr  r1, [r5, #stretch_hold]
        mul  r1, r1, r7
        cmp  r0, r1
        blo  .stays
        movs r0, #0
        str  r0, [r6]
        adds r5, #stretch_size
        str  r5, [r4]
.stays: pop  {r4-r7, pc}

; Compares the temperature with the wanted one and sets the heater: proportional, with a slow integral.
control:
        push {r4, r5, lr}
        ldr  r0, =wanted
        ldr  r0, [r0]
        ldr  r1, =temperature
        ldr  r1, [r1]
        subs r0, r0, r1                 ; the error, in 1/256 degree
        mov  r2, #gain
        mul  r3, r0, r2
        ldr  r4, =sum
        ldr  r5, [r4]
        mov  r2, #integral_gain
        mla  r5, r0, r2, r5
        ssat r5, #22, r5                ; the integral stays within bounds
        str  r5, [r4]
        add  r3, r3, r5, asr #4
        asr  r3, r3, #8                 ; thousandths of full power
        usat r3, #10, r3
        cmp  r3, #full
        it   hi
        movhi r3, #full
        ldr  r0, =power
        str  r3, [r0]
        ldr  r0, =TIM0_CMP
        str  r3, [r0]
        pop  {r4, r5, pc}

; ---------------------------------------------------------------------------------------------- reporting

; Once a second: "850 set, 843 is, 412 on"
report: push {r4, lr}
        ldr  r4, =reports
        ldr  r0, [r4]
        subs r0, r0, #1
        it   mi
        movmi r0, #9
        str  r0, [r4]
        bpl  .later
        ldr  r0, =wanted
        ldr  r0, [r0]
        lsrs r0, r0, #8
        bl   send_number
        ldr  r0, =text_set
        bl   send_text
        ldr  r0, =temperature
        ldr  r0, [r0]
        lsrs r0, r0, #8
        bl   send_number
        ldr  r0, =text_is
        bl   send_text
        ldr  r0, =power
        ldr  r0, [r0]
        bl   send_number
        ldr  r0, =text_on
        bl   send_text
.later: pop  {r4, pc}

; Sends the number in r0 in decimal.
send_number:
        push {r4-r6, lr}
        sub  sp, #16
        mov  r4, sp
        movs r5, #10
        movs r6, #0
.digit: udiv r1, r0, r5
        mls  r2, r1, r5, r0             ; the remainder
        adds r2, #'0'
        strb r2, [r4, r6]
        adds r6, #1
        movs r0, r1
        bne  .digit
.out:   subs r6, #1
        ldrb r0, [r4, r6]
        bl   send_byte
        cmp  r6, #0
        bne  .out
        add  sp, #16
        pop  {r4-r6, pc}

; Sends the text at r0 up to its zero.
send_text:
        push {r4, lr}
        mov  r4, r0
.next:  ldrb r0, [r4], #1
        cbz  r0, .end
        bl   send_byte
        b    .next
.end:   pop  {r4, pc}

; Sends the byte in r0 when there is room for it.
send_byte:
        ldr  r1, =UART_STAT
.full:  ldr  r2, [r1]
        lsrs r2, r2, #UART_STAT_ROOM + 1
        bcc  .full
        str  r0, [r1, #UART_DATA - UART_STAT]
        bx   lr

; ---------------------------------------------------------------------------------------------- interrupts

; A millisecond has passed.
tick:   ldr  r0, =ticks
        ldr  r1, [r0]
        adds r1, r1, #1
        str  r1, [r0]
        bx   lr

; An edge of the sensor: from the rising to the falling one timer 1 counts microseconds, which are degrees.
sensor_edge:
        ldr  r0, =P1_IN
        ldr  r1, [r0]
        movs r2, #1 << sensor
        str  r2, [r0, #P1_PEND - P1_IN]
        ldr  r2, =TIM1_COUNT
        ldr  r2, [r2]
        ldr  r3, =rose
        lsrs r1, r1, #sensor + 1
        bcc  .fell
        str  r2, [r3]
        bx   lr
.fell:  ldr  r1, [r3]
        subs r2, r2, r1
        lsls r2, r2, #8
        ldr  r3, =temperature
        ldr  r1, [r3]
        subs r2, r2, r1                 ; an eighth of the difference: smooth
        add  r1, r1, r2, asr #3
        str  r1, [r3]
        bx   lr

; Too hot: the relay falls at once, then all is shut down.
limit_reached:
        ldr  r0, =P0_CLR
        movs r1, #1 << relay
        str  r1, [r0]
relay_is_off:
        ldr  r0, =TIM0_CMP
        movs r1, #0
        str  r1, [r0]
        ldr  r0, =too_hot
        bl   send_text

; Nothing is fired any more, and nothing interrupts. The watchdog is fed: its reset would begin the firing anew.
stopped:
        cpsid i
        ldr  r0, =WDG_FEED
        movw r1, #0x5afe
.rest:  str  r1, [r0]
        b    .rest

; The program itself is broken: the relay falls, and the watchdog may do its work.
broken: ldr  r0, =P0_CLR
        movs r1, #1 << relay
        str  r1, [r0]
        b    .

; ---------------------------------------------------------------------------------------------- devices

open_clock:
        ldr  r0, =SYST_RVR
        ldr  r1, =clock / tick_hz - 1
        str  r1, [r0]
        movs r1, #7
        str  r1, [r0, #SYST_CSR - SYST_RVR]
        bx   lr

open_serial:
        ldr  r0, =UART_DIV
        movw r1, #clock / baud
        str  r1, [r0]
        movs r1, #1 << UART_CTRL_EN
        str  r1, [r0, #UART_CTRL - UART_DIV]
        bx   lr

; Timer 0 gives pulses of a second in thousandths: the heater's contactor does not like it faster.
open_heater:
        ldr  r0, =TIM0_CTRL
        movw r1, #full - 1
        str  r1, [r0, #TIM0_TOP - TIM0_CTRL]
        ldr  r1, =clock / 1000 - 1
        str  r1, [r0, #TIM0_PSC - TIM0_CTRL]
        movs r1, #(1 << TIM0_CTRL_EN) | (1 << TIM0_CTRL_DRIVE)
        str  r1, [r0]
        bx   lr

open_sensor:
        ldr  r0, =TIM1_CTRL
        movs r1, #clock / 1000000 - 1
        str  r1, [r0, #TIM1_PSC - TIM1_CTRL]
        movs r1, #1 << TIM1_CTRL_EN
        str  r1, [r0]
        ldr  r0, =P1_RISE
        movs r1, #1 << sensor
        str  r1, [r0]
        str  r1, [r0, #P1_FALL - P1_RISE]
        ldr  r0, =P2_RISE
        movs r1, #1 << limit
        str  r1, [r0]
        bx   lr

; The limit switch before everything, the sensor before the tick.
open_interrupts:
        ldr  r0, =NVIC_IPR0
        ldr  r1, =0x00008000            ; line 1, port 1: 0x80; line 5, port 2, stays at 0
        str  r1, [r0]
        ldr  r0, =SCB_SHPR3
        ldr  r1, =0xc0000000
        str  r1, [r0]
        ldr  r0, =NVIC_ISER
        movs r1, #(1 << 1) | (1 << 5)
        str  r1, [r0]
        ldr  r0, =WDG_TOP
        movw r1, #clock / 1000 / 2      ; half a second
        str  r1, [r0]
        movs r1, #1
        str  r1, [r0, #WDG_CTRL - WDG_TOP]
        bx   lr

; ---------------------------------------------------------------------------------------------- data

        pool
        align 4
programme:                              ; degrees, degrees a minute, minutes
        dd   120, 40, 1                 ; drying
        dd   600, 160, 1                ; through quartz inversion
        dd   1040, 220, 2               ; to cone 05
        dd   700, 300, 0                ; cooling under control
        dd   0, 0, 0

hello:    db "kiln\n", 0
text_set: db " set, ", 0
text_is:  db " is, ", 0
text_on:  db " on\n", 0
too_hot:  db "limit\n", 0
done:     db "done\n", 0

        section variables, ram
ticks:          ds 4                    ; milliseconds
next_step:      ds 4
current:        ds 4                    ; the stretch of the programme
held:           ds 4
wanted:         ds 4                    ; 1/256 degree
temperature:    ds 4                    ; 1/256 degree
sum:            ds 4                    ; of errors
power:          ds 4                    ; thousandths
reports:        ds 4
rose:           ds 4                    ; timer 1 at the rising edge

        section stack, ram, align 8
        ds   512
stack_top:
