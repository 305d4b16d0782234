 vector stack, 0x20000800
 vector reset, start
 org 0x200
start: ldr r0, =FAN_SPEED
 movs r1, #5
 str r1, [r0]
 b .
