/* Made from core/sizes.py, core/levels.py, core/loop.py, core/bits.py, core/sealed.py, core/ramp.py,
   core/demand.py, core/motor.py, core/servo.py, core/stepper.py, core/pins.py, core/watch.py,
   core/commands.py, core/mix.py, core/outputs.py, core/desk.py, core/machine.py, core/sender.py,
   core/answers.py, core/asks.py, core/text.py, core/keys.py, core/on_off.py, core/medium.py, core/train.py,
   core/writer.py, core/telling.py, core/inputs.py, core/incoming.py, core/machine_end.py, core/controls.py,
   core/hands.py, core/sources.py, core/arming.py, core/handset.py, core/hearing.py, core/asking.py,
   core/knob.py, core/handset_end.py, core/marks.py, core/burst.py, core/families.py, core/shape.py,
   core/infrared.py, core/codes.py, core/remote.py, core/receiver.py, core/bridge.py by Nuvrik. Read it, step
   through it, port it, but do not edit it: the next making would undo that. */
#ifndef NUVRIK_READS_H
#define NUVRIK_READS_H

/** How the fields of tables are read.
 *
 *  A link's own header, link_sizes.h, may say of a field what it comes to, where that is the same in every
 *  such table of the link. Then the compiler knows it, and leaves out what never comes to pass: a ramp
 *  that no motor has, a question that nobody can ask.
 */

#ifndef NUVRIK_LOOP_TICK_MS
#define NUVRIK_LOOP_TICK_MS(table) NUVRIK_U16((table)->tick_ms)
#endif
#ifndef NUVRIK_LOOP_TIMEOUT_MS
#define NUVRIK_LOOP_TIMEOUT_MS(table) NUVRIK_U16((table)->timeout_ms)
#endif

#ifndef NUVRIK_CHANNEL_KIND
#define NUVRIK_CHANNEL_KIND(table) NUVRIK_U8((table)->kind)
#endif
#ifndef NUVRIK_CHANNEL_BITS
#define NUVRIK_CHANNEL_BITS(table) NUVRIK_U8((table)->bits)
#endif
#ifndef NUVRIK_CHANNEL_MOST
#define NUVRIK_CHANNEL_MOST(table) NUVRIK_U16((table)->most)
#endif

#ifndef NUVRIK_SEALED_PAIR
#define NUVRIK_SEALED_PAIR(table) NUVRIK_U8((table)->pair)
#endif
#ifndef NUVRIK_SEALED_TAG
#define NUVRIK_SEALED_TAG(table) NUVRIK_U16((table)->tag)
#endif
#ifndef NUVRIK_SEALED_TAKES
#define NUVRIK_SEALED_TAKES(table) NUVRIK_U8((table)->takes)
#endif

#ifndef NUVRIK_RAMP_RATE
#define NUVRIK_RAMP_RATE(table) NUVRIK_U32((table)->rate)
#endif
#ifndef NUVRIK_RAMP_DT_MOST
#define NUVRIK_RAMP_DT_MOST(table) NUVRIK_U16((table)->dt_most)
#endif
#ifndef NUVRIK_RAMP_PAUSE_MS
#define NUVRIK_RAMP_PAUSE_MS(table) NUVRIK_U16((table)->pause_ms)
#endif

#ifndef NUVRIK_POINT_X
#define NUVRIK_POINT_X(table) NUVRIK_I16((table)->x)
#endif
#ifndef NUVRIK_POINT_Y
#define NUVRIK_POINT_Y(table) NUVRIK_I16((table)->y)
#endif

#ifndef NUVRIK_CURVE_POINTS
#define NUVRIK_CURVE_POINTS(table) NUVRIK_P((table)->points)
#endif
#ifndef NUVRIK_CURVE_POINTS_COUNT
#define NUVRIK_CURVE_POINTS_COUNT(table) NUVRIK_U8((table)->points_count)
#endif

#ifndef NUVRIK_MOTOR_RAMP
#define NUVRIK_MOTOR_RAMP(table) NUVRIK_P((table)->ramp)
#endif
#ifndef NUVRIK_MOTOR_FACING
#define NUVRIK_MOTOR_FACING(table) NUVRIK_I8((table)->facing)
#endif
#ifndef NUVRIK_MOTOR_PULSES
#define NUVRIK_MOTOR_PULSES(table) NUVRIK_U8((table)->pulses)
#endif
#ifndef NUVRIK_MOTOR_REST
#define NUVRIK_MOTOR_REST(table) NUVRIK_U16((table)->rest)
#endif
#ifndef NUVRIK_MOTOR_START
#define NUVRIK_MOTOR_START(table) NUVRIK_U16((table)->start)
#endif
#ifndef NUVRIK_MOTOR_TOP
#define NUVRIK_MOTOR_TOP(table) NUVRIK_U16((table)->top)
#endif
#ifndef NUVRIK_MOTOR_BACK_START
#define NUVRIK_MOTOR_BACK_START(table) NUVRIK_U16((table)->back_start)
#endif
#ifndef NUVRIK_MOTOR_BACK_TOP
#define NUVRIK_MOTOR_BACK_TOP(table) NUVRIK_U16((table)->back_top)
#endif
#ifndef NUVRIK_MOTOR_CURVE
#define NUVRIK_MOTOR_CURVE(table) NUVRIK_P((table)->curve)
#endif
#ifndef NUVRIK_MOTOR_HOLD
#define NUVRIK_MOTOR_HOLD(table) NUVRIK_U16((table)->hold)
#endif
#ifndef NUVRIK_MOTOR_HOLD_TOWARD
#define NUVRIK_MOTOR_HOLD_TOWARD(table) NUVRIK_I8((table)->hold_toward)
#endif
#ifndef NUVRIK_MOTOR_HOLD_MS
#define NUVRIK_MOTOR_HOLD_MS(table) NUVRIK_U16((table)->hold_ms)
#endif
#ifndef NUVRIK_MOTOR_HOLD_FROM_ARMING
#define NUVRIK_MOTOR_HOLD_FROM_ARMING(table) NUVRIK_U8((table)->hold_from_arming)
#endif
#ifndef NUVRIK_MOTOR_BRAKES_IDLE
#define NUVRIK_MOTOR_BRAKES_IDLE(table) NUVRIK_U8((table)->brakes_idle)
#endif
#ifndef NUVRIK_MOTOR_BRAKES_LOST
#define NUVRIK_MOTOR_BRAKES_LOST(table) NUVRIK_U8((table)->brakes_lost)
#endif
#ifndef NUVRIK_MOTOR_RAMPS_ON_LOSS
#define NUVRIK_MOTOR_RAMPS_ON_LOSS(table) NUVRIK_U8((table)->ramps_on_loss)
#endif

#ifndef NUVRIK_SERVO_SLEW
#define NUVRIK_SERVO_SLEW(table) NUVRIK_P((table)->slew)
#endif
#ifndef NUVRIK_SERVO_FACING
#define NUVRIK_SERVO_FACING(table) NUVRIK_I8((table)->facing)
#endif
#ifndef NUVRIK_SERVO_LOW
#define NUVRIK_SERVO_LOW(table) NUVRIK_I16((table)->low)
#endif
#ifndef NUVRIK_SERVO_HIGH
#define NUVRIK_SERVO_HIGH(table) NUVRIK_I16((table)->high)
#endif
#ifndef NUVRIK_SERVO_PULSE_LOW
#define NUVRIK_SERVO_PULSE_LOW(table) NUVRIK_U16((table)->pulse_low)
#endif
#ifndef NUVRIK_SERVO_PULSE_CENTRE
#define NUVRIK_SERVO_PULSE_CENTRE(table) NUVRIK_U16((table)->pulse_centre)
#endif
#ifndef NUVRIK_SERVO_PULSE_HIGH
#define NUVRIK_SERVO_PULSE_HIGH(table) NUVRIK_U16((table)->pulse_high)
#endif
#ifndef NUVRIK_SERVO_ON_LOSS
#define NUVRIK_SERVO_ON_LOSS(table) NUVRIK_U8((table)->on_loss)
#endif
#ifndef NUVRIK_SERVO_LOST_PLACE
#define NUVRIK_SERVO_LOST_PLACE(table) NUVRIK_I16((table)->lost_place)
#endif
#ifndef NUVRIK_SERVO_SILENT
#define NUVRIK_SERVO_SILENT(table) NUVRIK_U8((table)->silent)
#endif

#ifndef NUVRIK_SWITCH_HOLDS
#define NUVRIK_SWITCH_HOLDS(table) NUVRIK_U8((table)->holds)
#endif

#ifndef NUVRIK_STEPPER_RAMP
#define NUVRIK_STEPPER_RAMP(table) NUVRIK_P((table)->ramp)
#endif
#ifndef NUVRIK_STEPPER_FACING
#define NUVRIK_STEPPER_FACING(table) NUVRIK_I8((table)->facing)
#endif
#ifndef NUVRIK_STEPPER_RATE_MAX
#define NUVRIK_STEPPER_RATE_MAX(table) NUVRIK_U16((table)->rate_max)
#endif
#ifndef NUVRIK_STEPPER_RAMP_MS
#define NUVRIK_STEPPER_RAMP_MS(table) NUVRIK_U16((table)->ramp_ms)
#endif
#ifndef NUVRIK_STEPPER_HOLDS
#define NUVRIK_STEPPER_HOLDS(table) NUVRIK_U8((table)->holds)
#endif
#ifndef NUVRIK_STEPPER_LEAST
#define NUVRIK_STEPPER_LEAST(table) NUVRIK_I16((table)->least)
#endif

#ifndef NUVRIK_PIN_USE
#define NUVRIK_PIN_USE(table) NUVRIK_U8((table)->use)
#endif
#ifndef NUVRIK_PIN_MOST
#define NUVRIK_PIN_MOST(table) NUVRIK_U16((table)->most)
#endif
#ifndef NUVRIK_PIN_ENABLE_LOW
#define NUVRIK_PIN_ENABLE_LOW(table) NUVRIK_U8((table)->enable_low)
#endif
#ifndef NUVRIK_PIN_NUMBERS
#define NUVRIK_PIN_NUMBERS(table) NUVRIK_P((table)->numbers)
#endif
#ifndef NUVRIK_PIN_NUMBERS_COUNT
#define NUVRIK_PIN_NUMBERS_COUNT(table) NUVRIK_U8((table)->numbers_count)
#endif

#ifndef NUVRIK_CELL_ACTS
#define NUVRIK_CELL_ACTS(table) NUVRIK_U8((table)->acts)
#endif
#ifndef NUVRIK_CELL_TO
#define NUVRIK_CELL_TO(table) NUVRIK_U8((table)->to)
#endif
#ifndef NUVRIK_CELL_RUN
#define NUVRIK_CELL_RUN(table) NUVRIK_U8((table)->run)
#endif
#ifndef NUVRIK_CELL_OFF_SEEN
#define NUVRIK_CELL_OFF_SEEN(table) NUVRIK_U8((table)->off_seen)
#endif
#ifndef NUVRIK_CELL_COUNTS_TO
#define NUVRIK_CELL_COUNTS_TO(table) NUVRIK_U8((table)->counts_to)
#endif
#ifndef NUVRIK_CELL_EDGE_TO
#define NUVRIK_CELL_EDGE_TO(table) NUVRIK_U8((table)->edge_to)
#endif
#ifndef NUVRIK_CELL_WHY
#define NUVRIK_CELL_WHY(table) NUVRIK_U8((table)->why)
#endif

#ifndef NUVRIK_WATCH_TIMEOUT_MS
#define NUVRIK_WATCH_TIMEOUT_MS(table) NUVRIK_U16((table)->timeout_ms)
#endif
#ifndef NUVRIK_WATCH_GOOD_FRAMES
#define NUVRIK_WATCH_GOOD_FRAMES(table) NUVRIK_U8((table)->good_frames)
#endif
#ifndef NUVRIK_WATCH_GIVES_UP
#define NUVRIK_WATCH_GIVES_UP(table) NUVRIK_U8((table)->gives_up)
#endif
#ifndef NUVRIK_WATCH_GIVE_UP_MS
#define NUVRIK_WATCH_GIVE_UP_MS(table) NUVRIK_U16((table)->give_up_ms)
#endif
#ifndef NUVRIK_WATCH_ARMLESS
#define NUVRIK_WATCH_ARMLESS(table) NUVRIK_U8((table)->armless)
#endif
#ifndef NUVRIK_WATCH_CELLS
#define NUVRIK_WATCH_CELLS(table) NUVRIK_P((table)->cells)
#endif
#ifndef NUVRIK_WATCH_CELLS_COUNT
#define NUVRIK_WATCH_CELLS_COUNT(table) NUVRIK_U8((table)->cells_count)
#endif

#ifndef NUVRIK_COMMAND_ARM
#define NUVRIK_COMMAND_ARM(table) NUVRIK_U8((table)->arm)
#endif
#ifndef NUVRIK_COMMAND_BAND
#define NUVRIK_COMMAND_BAND(table) NUVRIK_I16((table)->band)
#endif
#ifndef NUVRIK_COMMAND_REQUIRED
#define NUVRIK_COMMAND_REQUIRED(table) NUVRIK_P((table)->required)
#endif
#ifndef NUVRIK_COMMAND_REQUIRED_COUNT
#define NUVRIK_COMMAND_REQUIRED_COUNT(table) NUVRIK_U8((table)->required_count)
#endif
#ifndef NUVRIK_COMMAND_OPTIONAL
#define NUVRIK_COMMAND_OPTIONAL(table) NUVRIK_P((table)->optional)
#endif
#ifndef NUVRIK_COMMAND_OPTIONAL_COUNT
#define NUVRIK_COMMAND_OPTIONAL_COUNT(table) NUVRIK_U8((table)->optional_count)
#endif

#ifndef NUVRIK_TERM_PLACE
#define NUVRIK_TERM_PLACE(table) NUVRIK_U8((table)->place)
#endif
#ifndef NUVRIK_TERM_WEIGHT
#define NUVRIK_TERM_WEIGHT(table) NUVRIK_I32((table)->weight)
#endif
#ifndef NUVRIK_TERM_EXTRA
#define NUVRIK_TERM_EXTRA(table) NUVRIK_U8((table)->extra)
#endif

#ifndef NUVRIK_ROUTE_SWITCHED
#define NUVRIK_ROUTE_SWITCHED(table) NUVRIK_U8((table)->switched)
#endif
#ifndef NUVRIK_ROUTE_BAND
#define NUVRIK_ROUTE_BAND(table) NUVRIK_I16((table)->band)
#endif
#ifndef NUVRIK_ROUTE_TERMS
#define NUVRIK_ROUTE_TERMS(table) NUVRIK_P((table)->terms)
#endif
#ifndef NUVRIK_ROUTE_TERMS_COUNT
#define NUVRIK_ROUTE_TERMS_COUNT(table) NUVRIK_U8((table)->terms_count)
#endif
#ifndef NUVRIK_ROUTE_PARTNER
#define NUVRIK_ROUTE_PARTNER(table) NUVRIK_U8((table)->partner)
#endif
#ifndef NUVRIK_ROUTE_TURN
#define NUVRIK_ROUTE_TURN(table) NUVRIK_U8((table)->turn)
#endif
#ifndef NUVRIK_ROUTE_INNER
#define NUVRIK_ROUTE_INNER(table) NUVRIK_I8((table)->inner)
#endif

#ifndef NUVRIK_OUTPUT_KIND
#define NUVRIK_OUTPUT_KIND(table) NUVRIK_U8((table)->kind)
#endif
#ifndef NUVRIK_OUTPUT_AT
#define NUVRIK_OUTPUT_AT(table) NUVRIK_U8((table)->at)
#endif
#ifndef NUVRIK_OUTPUT_ROUTE
#define NUVRIK_OUTPUT_ROUTE(table) NUVRIK_P((table)->route)
#endif

#ifndef NUVRIK_LIMITS_DIAL
#define NUVRIK_LIMITS_DIAL(table) NUVRIK_U8((table)->dial)
#endif
#ifndef NUVRIK_LIMITS_END_FORWARD
#define NUVRIK_LIMITS_END_FORWARD(table) NUVRIK_U8((table)->end_forward)
#endif
#ifndef NUVRIK_LIMITS_END_BACKWARD
#define NUVRIK_LIMITS_END_BACKWARD(table) NUVRIK_U8((table)->end_backward)
#endif

#ifndef NUVRIK_OUTPUTS_OUTPUTS
#define NUVRIK_OUTPUTS_OUTPUTS(table) NUVRIK_P((table)->outputs)
#endif
#ifndef NUVRIK_OUTPUTS_OUTPUTS_COUNT
#define NUVRIK_OUTPUTS_OUTPUTS_COUNT(table) NUVRIK_U8((table)->outputs_count)
#endif
#ifndef NUVRIK_OUTPUTS_MOTORS
#define NUVRIK_OUTPUTS_MOTORS(table) NUVRIK_P((table)->motors)
#endif
#ifndef NUVRIK_OUTPUTS_MOTORS_COUNT
#define NUVRIK_OUTPUTS_MOTORS_COUNT(table) NUVRIK_U8((table)->motors_count)
#endif
#ifndef NUVRIK_OUTPUTS_SERVOS
#define NUVRIK_OUTPUTS_SERVOS(table) NUVRIK_P((table)->servos)
#endif
#ifndef NUVRIK_OUTPUTS_SERVOS_COUNT
#define NUVRIK_OUTPUTS_SERVOS_COUNT(table) NUVRIK_U8((table)->servos_count)
#endif
#ifndef NUVRIK_OUTPUTS_STEPPERS
#define NUVRIK_OUTPUTS_STEPPERS(table) NUVRIK_P((table)->steppers)
#endif
#ifndef NUVRIK_OUTPUTS_STEPPERS_COUNT
#define NUVRIK_OUTPUTS_STEPPERS_COUNT(table) NUVRIK_U8((table)->steppers_count)
#endif
#ifndef NUVRIK_OUTPUTS_SWITCHES
#define NUVRIK_OUTPUTS_SWITCHES(table) NUVRIK_P((table)->switches)
#endif
#ifndef NUVRIK_OUTPUTS_SWITCHES_COUNT
#define NUVRIK_OUTPUTS_SWITCHES_COUNT(table) NUVRIK_U8((table)->switches_count)
#endif
#ifndef NUVRIK_OUTPUTS_LIMITS
#define NUVRIK_OUTPUTS_LIMITS(table) NUVRIK_P((table)->limits)
#endif
#ifndef NUVRIK_OUTPUTS_LIMITS_COUNT
#define NUVRIK_OUTPUTS_LIMITS_COUNT(table) NUVRIK_U8((table)->limits_count)
#endif
#ifndef NUVRIK_OUTPUTS_EXTRA
#define NUVRIK_OUTPUTS_EXTRA(table) NUVRIK_P((table)->extra)
#endif
#ifndef NUVRIK_OUTPUTS_EXTRA_COUNT
#define NUVRIK_OUTPUTS_EXTRA_COUNT(table) NUVRIK_U8((table)->extra_count)
#endif

#ifndef NUVRIK_ARGUMENT_BITS
#define NUVRIK_ARGUMENT_BITS(table) NUVRIK_U8((table)->bits)
#endif
#ifndef NUVRIK_ARGUMENT_MOST
#define NUVRIK_ARGUMENT_MOST(table) NUVRIK_U16((table)->most)
#endif
#ifndef NUVRIK_ARGUMENT_EITHER_SIGN
#define NUVRIK_ARGUMENT_EITHER_SIGN(table) NUVRIK_U8((table)->either_sign)
#endif

#ifndef NUVRIK_WISH_OUTPUT
#define NUVRIK_WISH_OUTPUT(table) NUVRIK_U8((table)->output)
#endif
#ifndef NUVRIK_WISH_TO
#define NUVRIK_WISH_TO(table) NUVRIK_I16((table)->to)
#endif

#ifndef NUVRIK_ROUTINE_STEP_FOR_MS
#define NUVRIK_ROUTINE_STEP_FOR_MS(table) NUVRIK_U16((table)->for_ms)
#endif
#ifndef NUVRIK_ROUTINE_STEP_WISHES
#define NUVRIK_ROUTINE_STEP_WISHES(table) NUVRIK_P((table)->wishes)
#endif
#ifndef NUVRIK_ROUTINE_STEP_WISHES_COUNT
#define NUVRIK_ROUTINE_STEP_WISHES_COUNT(table) NUVRIK_U8((table)->wishes_count)
#endif

#ifndef NUVRIK_REQUEST_KIND
#define NUVRIK_REQUEST_KIND(table) NUVRIK_U8((table)->kind)
#endif
#ifndef NUVRIK_REQUEST_MOVES
#define NUVRIK_REQUEST_MOVES(table) NUVRIK_U8((table)->moves)
#endif
#ifndef NUVRIK_REQUEST_OUTPUT
#define NUVRIK_REQUEST_OUTPUT(table) NUVRIK_U8((table)->output)
#endif
#ifndef NUVRIK_REQUEST_STEPPER
#define NUVRIK_REQUEST_STEPPER(table) NUVRIK_U8((table)->stepper)
#endif
#ifndef NUVRIK_REQUEST_SPEEDS
#define NUVRIK_REQUEST_SPEEDS(table) NUVRIK_U8((table)->speeds)
#endif
#ifndef NUVRIK_REQUEST_AGAINST
#define NUVRIK_REQUEST_AGAINST(table) NUVRIK_U8((table)->against)
#endif
#ifndef NUVRIK_REQUEST_TIMES
#define NUVRIK_REQUEST_TIMES(table) NUVRIK_U8((table)->times)
#endif
#ifndef NUVRIK_REQUEST_ARGUMENTS
#define NUVRIK_REQUEST_ARGUMENTS(table) NUVRIK_P((table)->arguments)
#endif
#ifndef NUVRIK_REQUEST_ARGUMENTS_COUNT
#define NUVRIK_REQUEST_ARGUMENTS_COUNT(table) NUVRIK_U8((table)->arguments_count)
#endif
#ifndef NUVRIK_REQUEST_ROUTINE
#define NUVRIK_REQUEST_ROUTINE(table) NUVRIK_P((table)->routine)
#endif
#ifndef NUVRIK_REQUEST_ROUTINE_COUNT
#define NUVRIK_REQUEST_ROUTINE_COUNT(table) NUVRIK_U8((table)->routine_count)
#endif

#ifndef NUVRIK_DESK_REQUESTS
#define NUVRIK_DESK_REQUESTS(table) NUVRIK_P((table)->requests)
#endif
#ifndef NUVRIK_DESK_REQUESTS_COUNT
#define NUVRIK_DESK_REQUESTS_COUNT(table) NUVRIK_U8((table)->requests_count)
#endif
#ifndef NUVRIK_DESK_ANSWERS
#define NUVRIK_DESK_ANSWERS(table) NUVRIK_U8((table)->answers)
#endif
#ifndef NUVRIK_DESK_SAYS_HELLO
#define NUVRIK_DESK_SAYS_HELLO(table) NUVRIK_U8((table)->says_hello)
#endif

#ifndef NUVRIK_MACHINE_WATCH
#define NUVRIK_MACHINE_WATCH(table) NUVRIK_P((table)->watch)
#endif
#ifndef NUVRIK_MACHINE_COMMANDS
#define NUVRIK_MACHINE_COMMANDS(table) NUVRIK_P((table)->commands)
#endif
#ifndef NUVRIK_MACHINE_OUTPUTS
#define NUVRIK_MACHINE_OUTPUTS(table) NUVRIK_P((table)->outputs)
#endif
#ifndef NUVRIK_MACHINE_DESK
#define NUVRIK_MACHINE_DESK(table) NUVRIK_P((table)->desk)
#endif

#ifndef NUVRIK_SENDER_PAIR
#define NUVRIK_SENDER_PAIR(table) NUVRIK_U8((table)->pair)
#endif
#ifndef NUVRIK_SENDER_TAG
#define NUVRIK_SENDER_TAG(table) NUVRIK_U16((table)->tag)
#endif
#ifndef NUVRIK_SENDER_WAY
#define NUVRIK_SENDER_WAY(table) NUVRIK_U8((table)->way)
#endif
#ifndef NUVRIK_SENDER_LEADS
#define NUVRIK_SENDER_LEADS(table) NUVRIK_U8((table)->leads)
#endif
#ifndef NUVRIK_SENDER_ENDING
#define NUVRIK_SENDER_ENDING(table) NUVRIK_P((table)->ending)
#endif
#ifndef NUVRIK_SENDER_ENDING_COUNT
#define NUVRIK_SENDER_ENDING_COUNT(table) NUVRIK_U8((table)->ending_count)
#endif

#ifndef NUVRIK_FORM_SCALED
#define NUVRIK_FORM_SCALED(table) NUVRIK_U8((table)->scaled)
#endif
#ifndef NUVRIK_FORM_EMPTY
#define NUVRIK_FORM_EMPTY(table) NUVRIK_U8((table)->empty)
#endif
#ifndef NUVRIK_FORM_ONE_SIDED
#define NUVRIK_FORM_ONE_SIDED(table) NUVRIK_U8((table)->one_sided)
#endif
#ifndef NUVRIK_FORM_LOW
#define NUVRIK_FORM_LOW(table) NUVRIK_I32((table)->low)
#endif
#ifndef NUVRIK_FORM_HIGH
#define NUVRIK_FORM_HIGH(table) NUVRIK_I32((table)->high)
#endif
#ifndef NUVRIK_FORM_DECIMALS
#define NUVRIK_FORM_DECIMALS(table) NUVRIK_U8((table)->decimals)
#endif
#ifndef NUVRIK_FORM_WIDTH
#define NUVRIK_FORM_WIDTH(table) NUVRIK_U8((table)->width)
#endif
#ifndef NUVRIK_FORM_COUNTS
#define NUVRIK_FORM_COUNTS(table) NUVRIK_U8((table)->counts)
#endif
#ifndef NUVRIK_FORM_SIGNS
#define NUVRIK_FORM_SIGNS(table) NUVRIK_U8((table)->signs)
#endif

#ifndef NUVRIK_TEXT_ENDING
#define NUVRIK_TEXT_ENDING(table) NUVRIK_P((table)->ending)
#endif
#ifndef NUVRIK_TEXT_ENDING_COUNT
#define NUVRIK_TEXT_ENDING_COUNT(table) NUVRIK_U8((table)->ending_count)
#endif
#ifndef NUVRIK_TEXT_TAG
#define NUVRIK_TEXT_TAG(table) NUVRIK_P((table)->tag)
#endif
#ifndef NUVRIK_TEXT_TAG_COUNT
#define NUVRIK_TEXT_TAG_COUNT(table) NUVRIK_U8((table)->tag_count)
#endif
#ifndef NUVRIK_TEXT_STOP
#define NUVRIK_TEXT_STOP(table) NUVRIK_P((table)->stop)
#endif
#ifndef NUVRIK_TEXT_STOP_COUNT
#define NUVRIK_TEXT_STOP_COUNT(table) NUVRIK_U8((table)->stop_count)
#endif
#ifndef NUVRIK_TEXT_SEPARATOR
#define NUVRIK_TEXT_SEPARATOR(table) NUVRIK_P((table)->separator)
#endif
#ifndef NUVRIK_TEXT_SEPARATOR_COUNT
#define NUVRIK_TEXT_SEPARATOR_COUNT(table) NUVRIK_U8((table)->separator_count)
#endif
#ifndef NUVRIK_TEXT_COLUMNS
#define NUVRIK_TEXT_COLUMNS(table) NUVRIK_U8((table)->columns)
#endif
#ifndef NUVRIK_TEXT_CHECK
#define NUVRIK_TEXT_CHECK(table) NUVRIK_U8((table)->check)
#endif
#ifndef NUVRIK_TEXT_SPACES
#define NUVRIK_TEXT_SPACES(table) NUVRIK_U8((table)->spaces)
#endif
#ifndef NUVRIK_TEXT_BLANKS
#define NUVRIK_TEXT_BLANKS(table) NUVRIK_U8((table)->blanks)
#endif
#ifndef NUVRIK_TEXT_LEADS
#define NUVRIK_TEXT_LEADS(table) NUVRIK_U8((table)->leads)
#endif
#ifndef NUVRIK_TEXT_FORMS
#define NUVRIK_TEXT_FORMS(table) NUVRIK_P((table)->forms)
#endif
#ifndef NUVRIK_TEXT_FORMS_COUNT
#define NUVRIK_TEXT_FORMS_COUNT(table) NUVRIK_U8((table)->forms_count)
#endif

#ifndef NUVRIK_CHANGE_PLACE
#define NUVRIK_CHANGE_PLACE(table) NUVRIK_U8((table)->place)
#endif
#ifndef NUVRIK_CHANGE_ADDS
#define NUVRIK_CHANGE_ADDS(table) NUVRIK_U8((table)->adds)
#endif
#ifndef NUVRIK_CHANGE_VALUE
#define NUVRIK_CHANGE_VALUE(table) NUVRIK_I32((table)->value)
#endif
#ifndef NUVRIK_CHANGE_LOW
#define NUVRIK_CHANGE_LOW(table) NUVRIK_I16((table)->low)
#endif
#ifndef NUVRIK_CHANGE_HIGH
#define NUVRIK_CHANGE_HIGH(table) NUVRIK_I32((table)->high)
#endif

#ifndef NUVRIK_KEY_CODE
#define NUVRIK_KEY_CODE(table) NUVRIK_U8((table)->code)
#endif
#ifndef NUVRIK_KEY_STOP
#define NUVRIK_KEY_STOP(table) NUVRIK_U8((table)->stop)
#endif
#ifndef NUVRIK_KEY_CHANGES
#define NUVRIK_KEY_CHANGES(table) NUVRIK_P((table)->changes)
#endif
#ifndef NUVRIK_KEY_CHANGES_COUNT
#define NUVRIK_KEY_CHANGES_COUNT(table) NUVRIK_U8((table)->changes_count)
#endif

#ifndef NUVRIK_KEYS_KEYS
#define NUVRIK_KEYS_KEYS(table) NUVRIK_P((table)->keys)
#endif
#ifndef NUVRIK_KEYS_KEYS_COUNT
#define NUVRIK_KEYS_KEYS_COUNT(table) NUVRIK_U8((table)->keys_count)
#endif
#ifndef NUVRIK_KEYS_PLACES
#define NUVRIK_KEYS_PLACES(table) NUVRIK_P((table)->places)
#endif
#ifndef NUVRIK_KEYS_PLACES_COUNT
#define NUVRIK_KEYS_PLACES_COUNT(table) NUVRIK_U8((table)->places_count)
#endif

#ifndef NUVRIK_CHOOSER_KEYS
#define NUVRIK_CHOOSER_KEYS(table) NUVRIK_P((table)->keys)
#endif
#ifndef NUVRIK_CHOOSER_WEIGHTS
#define NUVRIK_CHOOSER_WEIGHTS(table) NUVRIK_P((table)->weights)
#endif
#ifndef NUVRIK_CHOOSER_WEIGHTS_COUNT
#define NUVRIK_CHOOSER_WEIGHTS_COUNT(table) NUVRIK_U8((table)->weights_count)
#endif
#ifndef NUVRIK_CHOOSER_ARM
#define NUVRIK_CHOOSER_ARM(table) NUVRIK_U8((table)->arm)
#endif
#ifndef NUVRIK_CHOOSER_TREMBLES
#define NUVRIK_CHOOSER_TREMBLES(table) NUVRIK_I16((table)->trembles)
#endif

#ifndef NUVRIK_ON_OFF_BITRATE
#define NUVRIK_ON_OFF_BITRATE(table) NUVRIK_U32((table)->bitrate)
#endif
#ifndef NUVRIK_ON_OFF_HALF
#define NUVRIK_ON_OFF_HALF(table) NUVRIK_I32((table)->half)
#endif
#ifndef NUVRIK_ON_OFF_FASTEST
#define NUVRIK_ON_OFF_FASTEST(table) NUVRIK_I32((table)->fastest)
#endif
#ifndef NUVRIK_ON_OFF_SLOWEST
#define NUVRIK_ON_OFF_SLOWEST(table) NUVRIK_I32((table)->slowest)
#endif
#ifndef NUVRIK_ON_OFF_MOST_LEAN
#define NUVRIK_ON_OFF_MOST_LEAN(table) NUVRIK_I32((table)->most_lean)
#endif
#ifndef NUVRIK_ON_OFF_TRAINING_BITS
#define NUVRIK_ON_OFF_TRAINING_BITS(table) NUVRIK_U8((table)->training_bits)
#endif

#ifndef NUVRIK_MEDIUM_BITRATE
#define NUVRIK_MEDIUM_BITRATE(table) NUVRIK_U32((table)->bitrate)
#endif
#ifndef NUVRIK_MEDIUM_PAYLOAD_MAX
#define NUVRIK_MEDIUM_PAYLOAD_MAX(table) NUVRIK_U8((table)->payload_max)
#endif
#ifndef NUVRIK_MEDIUM_CHANNEL
#define NUVRIK_MEDIUM_CHANNEL(table) NUVRIK_U8((table)->channel)
#endif
#ifndef NUVRIK_MEDIUM_GROUP
#define NUVRIK_MEDIUM_GROUP(table) NUVRIK_U8((table)->group)
#endif
#ifndef NUVRIK_MEDIUM_ADDRESS_LOW
#define NUVRIK_MEDIUM_ADDRESS_LOW(table) NUVRIK_U16((table)->address_low)
#endif
#ifndef NUVRIK_MEDIUM_ADDRESS_HIGH
#define NUVRIK_MEDIUM_ADDRESS_HIGH(table) NUVRIK_U16((table)->address_high)
#endif
#ifndef NUVRIK_MEDIUM_FRAME_US
#define NUVRIK_MEDIUM_FRAME_US(table) NUVRIK_U16((table)->frame_us)
#endif
#ifndef NUVRIK_MEDIUM_PULSE_US
#define NUVRIK_MEDIUM_PULSE_US(table) NUVRIK_U16((table)->pulse_us)
#endif
#ifndef NUVRIK_MEDIUM_ACTIVE_HIGH
#define NUVRIK_MEDIUM_ACTIVE_HIGH(table) NUVRIK_U8((table)->active_high)
#endif
#ifndef NUVRIK_MEDIUM_PIN_IN
#define NUVRIK_MEDIUM_PIN_IN(table) NUVRIK_U8((table)->pin_in)
#endif
#ifndef NUVRIK_MEDIUM_PIN_OUT
#define NUVRIK_MEDIUM_PIN_OUT(table) NUVRIK_U8((table)->pin_out)
#endif
#ifndef NUVRIK_MEDIUM_IN_HIGH
#define NUVRIK_MEDIUM_IN_HIGH(table) NUVRIK_U8((table)->in_high)
#endif
#ifndef NUVRIK_MEDIUM_CARRIER
#define NUVRIK_MEDIUM_CARRIER(table) NUVRIK_P((table)->carrier)
#endif

#ifndef NUVRIK_TRAIN_LOW_US
#define NUVRIK_TRAIN_LOW_US(table) NUVRIK_U16((table)->low_us)
#endif
#ifndef NUVRIK_TRAIN_HIGH_US
#define NUVRIK_TRAIN_HIGH_US(table) NUVRIK_U16((table)->high_us)
#endif
#ifndef NUVRIK_TRAIN_SHORTEST_US
#define NUVRIK_TRAIN_SHORTEST_US(table) NUVRIK_U16((table)->shortest_us)
#endif
#ifndef NUVRIK_TRAIN_LONGEST_US
#define NUVRIK_TRAIN_LONGEST_US(table) NUVRIK_U16((table)->longest_us)
#endif
#ifndef NUVRIK_TRAIN_GAP_US
#define NUVRIK_TRAIN_GAP_US(table) NUVRIK_U16((table)->gap_us)
#endif
#ifndef NUVRIK_TRAIN_CHANNELS
#define NUVRIK_TRAIN_CHANNELS(table) NUVRIK_P((table)->channels)
#endif
#ifndef NUVRIK_TRAIN_CHANNELS_COUNT
#define NUVRIK_TRAIN_CHANNELS_COUNT(table) NUVRIK_U8((table)->channels_count)
#endif

#ifndef NUVRIK_WRITER_SENDER
#define NUVRIK_WRITER_SENDER(table) NUVRIK_P((table)->sender)
#endif
#ifndef NUVRIK_WRITER_CHANNELS
#define NUVRIK_WRITER_CHANNELS(table) NUVRIK_P((table)->channels)
#endif
#ifndef NUVRIK_WRITER_CHANNELS_COUNT
#define NUVRIK_WRITER_CHANNELS_COUNT(table) NUVRIK_U8((table)->channels_count)
#endif
#ifndef NUVRIK_WRITER_TEXT
#define NUVRIK_WRITER_TEXT(table) NUVRIK_P((table)->text)
#endif
#ifndef NUVRIK_WRITER_KEYS
#define NUVRIK_WRITER_KEYS(table) NUVRIK_P((table)->keys)
#endif
#ifndef NUVRIK_WRITER_TRAIN
#define NUVRIK_WRITER_TRAIN(table) NUVRIK_P((table)->train)
#endif
#ifndef NUVRIK_WRITER_STAYS
#define NUVRIK_WRITER_STAYS(table) NUVRIK_P((table)->stays)
#endif
#ifndef NUVRIK_WRITER_STAYS_COUNT
#define NUVRIK_WRITER_STAYS_COUNT(table) NUVRIK_U8((table)->stays_count)
#endif
#ifndef NUVRIK_WRITER_WAY_OUT
#define NUVRIK_WRITER_WAY_OUT(table) NUVRIK_U8((table)->way_out)
#endif
#ifndef NUVRIK_WRITER_GUARDED
#define NUVRIK_WRITER_GUARDED(table) NUVRIK_U8((table)->guarded)
#endif

#ifndef NUVRIK_ITEM_TELLS
#define NUVRIK_ITEM_TELLS(table) NUVRIK_U8((table)->tells)
#endif
#ifndef NUVRIK_ITEM_BITS
#define NUVRIK_ITEM_BITS(table) NUVRIK_U8((table)->bits)
#endif
#ifndef NUVRIK_ITEM_LOW
#define NUVRIK_ITEM_LOW(table) NUVRIK_I32((table)->low)
#endif
#ifndef NUVRIK_ITEM_HIGH
#define NUVRIK_ITEM_HIGH(table) NUVRIK_I32((table)->high)
#endif
#ifndef NUVRIK_ITEM_HIGH_ON
#define NUVRIK_ITEM_HIGH_ON(table) NUVRIK_U8((table)->high_on)
#endif
#ifndef NUVRIK_ITEM_OF
#define NUVRIK_ITEM_OF(table) NUVRIK_U8((table)->of)
#endif
#ifndef NUVRIK_ITEM_PIN
#define NUVRIK_ITEM_PIN(table) NUVRIK_U8((table)->pin)
#endif
#ifndef NUVRIK_ITEM_EVERY_MS
#define NUVRIK_ITEM_EVERY_MS(table) NUVRIK_U16((table)->every_ms)
#endif
#ifndef NUVRIK_ITEM_STALE_MS
#define NUVRIK_ITEM_STALE_MS(table) NUVRIK_U16((table)->stale_ms)
#endif
#ifndef NUVRIK_ITEM_FIRST
#define NUVRIK_ITEM_FIRST(table) NUVRIK_U8((table)->first)
#endif

#ifndef NUVRIK_TELLING_ITEMS
#define NUVRIK_TELLING_ITEMS(table) NUVRIK_P((table)->items)
#endif
#ifndef NUVRIK_TELLING_ITEMS_COUNT
#define NUVRIK_TELLING_ITEMS_COUNT(table) NUVRIK_U8((table)->items_count)
#endif
#ifndef NUVRIK_TELLING_CODES
#define NUVRIK_TELLING_CODES(table) NUVRIK_P((table)->codes)
#endif
#ifndef NUVRIK_TELLING_CODES_COUNT
#define NUVRIK_TELLING_CODES_COUNT(table) NUVRIK_U8((table)->codes_count)
#endif
#ifndef NUVRIK_TELLING_ROOM
#define NUVRIK_TELLING_ROOM(table) NUVRIK_U16((table)->room)
#endif
#ifndef NUVRIK_TELLING_TELL_MS
#define NUVRIK_TELLING_TELL_MS(table) NUVRIK_U16((table)->tell_ms)
#endif
#ifndef NUVRIK_TELLING_GUARD_MS
#define NUVRIK_TELLING_GUARD_MS(table) NUVRIK_U16((table)->guard_ms)
#endif
#ifndef NUVRIK_TELLING_PIECE_MS
#define NUVRIK_TELLING_PIECE_MS(table) NUVRIK_U16((table)->piece_ms)
#endif

#ifndef NUVRIK_INPUTS_USED
#define NUVRIK_INPUTS_USED(table) NUVRIK_U8((table)->used)
#endif
#ifndef NUVRIK_INPUTS_STOP
#define NUVRIK_INPUTS_STOP(table) NUVRIK_U8((table)->stop)
#endif
#ifndef NUVRIK_INPUTS_BATTERY
#define NUVRIK_INPUTS_BATTERY(table) NUVRIK_U8((table)->battery)
#endif
#ifndef NUVRIK_INPUTS_BATTERY_LOW
#define NUVRIK_INPUTS_BATTERY_LOW(table) NUVRIK_I16((table)->battery_low)
#endif
#ifndef NUVRIK_INPUTS_BATTERY_HIGH
#define NUVRIK_INPUTS_BATTERY_HIGH(table) NUVRIK_I16((table)->battery_high)
#endif
#ifndef NUVRIK_INPUTS_BATTERY_MS
#define NUVRIK_INPUTS_BATTERY_MS(table) NUVRIK_U16((table)->battery_ms)
#endif
#ifndef NUVRIK_INPUTS_BATTERY_TO
#define NUVRIK_INPUTS_BATTERY_TO(table) NUVRIK_I16((table)->battery_to)
#endif

#ifndef NUVRIK_INCOMING_TEXT
#define NUVRIK_INCOMING_TEXT(table) NUVRIK_P((table)->text)
#endif
#ifndef NUVRIK_INCOMING_WAY_IN
#define NUVRIK_INCOMING_WAY_IN(table) NUVRIK_U8((table)->way_in)
#endif
#ifndef NUVRIK_INCOMING_LINES
#define NUVRIK_INCOMING_LINES(table) NUVRIK_U8((table)->lines)
#endif

#ifndef NUVRIK_END_LOOP
#define NUVRIK_END_LOOP(table) NUVRIK_P((table)->loop)
#endif
#ifndef NUVRIK_END_MACHINE
#define NUVRIK_END_MACHINE(table) NUVRIK_P((table)->machine)
#endif
#ifndef NUVRIK_END_SEALED
#define NUVRIK_END_SEALED(table) NUVRIK_P((table)->sealed)
#endif
#ifndef NUVRIK_END_SENDER
#define NUVRIK_END_SENDER(table) NUVRIK_P((table)->sender)
#endif
#ifndef NUVRIK_END_TELLING
#define NUVRIK_END_TELLING(table) NUVRIK_P((table)->telling)
#endif
#ifndef NUVRIK_END_CHANNELS
#define NUVRIK_END_CHANNELS(table) NUVRIK_P((table)->channels)
#endif
#ifndef NUVRIK_END_CHANNELS_COUNT
#define NUVRIK_END_CHANNELS_COUNT(table) NUVRIK_U8((table)->channels_count)
#endif
#ifndef NUVRIK_END_INCOMING
#define NUVRIK_END_INCOMING(table) NUVRIK_P((table)->incoming)
#endif
#ifndef NUVRIK_END_KEYS
#define NUVRIK_END_KEYS(table) NUVRIK_P((table)->keys)
#endif
#ifndef NUVRIK_END_TRAIN
#define NUVRIK_END_TRAIN(table) NUVRIK_P((table)->train)
#endif
#ifndef NUVRIK_END_GUARDED
#define NUVRIK_END_GUARDED(table) NUVRIK_U8((table)->guarded)
#endif
#ifndef NUVRIK_END_PINS
#define NUVRIK_END_PINS(table) NUVRIK_P((table)->pins)
#endif
#ifndef NUVRIK_END_PINS_COUNT
#define NUVRIK_END_PINS_COUNT(table) NUVRIK_U8((table)->pins_count)
#endif
#ifndef NUVRIK_END_INPUTS
#define NUVRIK_END_INPUTS(table) NUVRIK_P((table)->inputs)
#endif
#ifndef NUVRIK_END_MEDIUM
#define NUVRIK_END_MEDIUM(table) NUVRIK_P((table)->medium)
#endif
#ifndef NUVRIK_END_NAME
#define NUVRIK_END_NAME(table) NUVRIK_P((table)->name)
#endif
#ifndef NUVRIK_END_NAME_COUNT
#define NUVRIK_END_NAME_COUNT(table) NUVRIK_U8((table)->name_count)
#endif
#ifndef NUVRIK_END_NAME_FIRST
#define NUVRIK_END_NAME_FIRST(table) NUVRIK_U8((table)->name_first)
#endif
#ifndef NUVRIK_END_BUILD
#define NUVRIK_END_BUILD(table) NUVRIK_P((table)->build)
#endif
#ifndef NUVRIK_END_BUILD_COUNT
#define NUVRIK_END_BUILD_COUNT(table) NUVRIK_U8((table)->build_count)
#endif
#ifndef NUVRIK_END_VERSION
#define NUVRIK_END_VERSION(table) NUVRIK_P((table)->version)
#endif
#ifndef NUVRIK_END_VERSION_COUNT
#define NUVRIK_END_VERSION_COUNT(table) NUVRIK_U8((table)->version_count)
#endif

#ifndef NUVRIK_MOVED_LOW
#define NUVRIK_MOVED_LOW(table) NUVRIK_I32((table)->low)
#endif
#ifndef NUVRIK_MOVED_REST
#define NUVRIK_MOVED_REST(table) NUVRIK_I32((table)->rest)
#endif
#ifndef NUVRIK_MOVED_HIGH
#define NUVRIK_MOVED_HIGH(table) NUVRIK_I32((table)->high)
#endif
#ifndef NUVRIK_MOVED_ONE_SIDED
#define NUVRIK_MOVED_ONE_SIDED(table) NUVRIK_U8((table)->one_sided)
#endif
#ifndef NUVRIK_MOVED_DEAD_ZONE
#define NUVRIK_MOVED_DEAD_ZONE(table) NUVRIK_I16((table)->dead_zone)
#endif
#ifndef NUVRIK_MOVED_EXPO
#define NUVRIK_MOVED_EXPO(table) NUVRIK_I16((table)->expo)
#endif
#ifndef NUVRIK_MOVED_CURVE
#define NUVRIK_MOVED_CURVE(table) NUVRIK_P((table)->curve)
#endif
#ifndef NUVRIK_MOVED_REVERSE
#define NUVRIK_MOVED_REVERSE(table) NUVRIK_U8((table)->reverse)
#endif
#ifndef NUVRIK_MOVED_TRIM
#define NUVRIK_MOVED_TRIM(table) NUVRIK_I16((table)->trim)
#endif
#ifndef NUVRIK_MOVED_IGNORE
#define NUVRIK_MOVED_IGNORE(table) NUVRIK_P((table)->ignore)
#endif
#ifndef NUVRIK_MOVED_IGNORE_COUNT
#define NUVRIK_MOVED_IGNORE_COUNT(table) NUVRIK_U8((table)->ignore_count)
#endif
#ifndef NUVRIK_MOVED_SMOOTH_MS
#define NUVRIK_MOVED_SMOOTH_MS(table) NUVRIK_U16((table)->smooth_ms)
#endif
#ifndef NUVRIK_MOVED_SLOWS
#define NUVRIK_MOVED_SLOWS(table) NUVRIK_U8((table)->slows)
#endif
#ifndef NUVRIK_MOVED_RAMP
#define NUVRIK_MOVED_RAMP(table) NUVRIK_P((table)->ramp)
#endif
#ifndef NUVRIK_MOVED_HOLDS
#define NUVRIK_MOVED_HOLDS(table) NUVRIK_U8((table)->holds)
#endif
#ifndef NUVRIK_MOVED_PLAIN
#define NUVRIK_MOVED_PLAIN(table) NUVRIK_U8((table)->plain)
#endif
#ifndef NUVRIK_MOVED_TURNS
#define NUVRIK_MOVED_TURNS(table) NUVRIK_U8((table)->turns)
#endif

#ifndef NUVRIK_BUTTON_PRESSED
#define NUVRIK_BUTTON_PRESSED(table) NUVRIK_U8((table)->pressed)
#endif
#ifndef NUVRIK_BUTTON_DEBOUNCE_MS
#define NUVRIK_BUTTON_DEBOUNCE_MS(table) NUVRIK_U16((table)->debounce_ms)
#endif
#ifndef NUVRIK_BUTTON_TOGGLES
#define NUVRIK_BUTTON_TOGGLES(table) NUVRIK_U8((table)->toggles)
#endif
#ifndef NUVRIK_BUTTON_WAITS
#define NUVRIK_BUTTON_WAITS(table) NUVRIK_U8((table)->waits)
#endif

#ifndef NUVRIK_KEY_CONTROL_EVERY
#define NUVRIK_KEY_CONTROL_EVERY(table) NUVRIK_U8((table)->every)
#endif
#ifndef NUVRIK_KEY_CONTROL_TOGGLES
#define NUVRIK_KEY_CONTROL_TOGGLES(table) NUVRIK_U8((table)->toggles)
#endif
#ifndef NUVRIK_KEY_CONTROL_WAITS
#define NUVRIK_KEY_CONTROL_WAITS(table) NUVRIK_U8((table)->waits)
#endif

#ifndef NUVRIK_CONTROL_KIND
#define NUVRIK_CONTROL_KIND(table) NUVRIK_U8((table)->kind)
#endif
#ifndef NUVRIK_CONTROL_AT
#define NUVRIK_CONTROL_AT(table) NUVRIK_U8((table)->at)
#endif
#ifndef NUVRIK_CONTROL_STALE_MS
#define NUVRIK_CONTROL_STALE_MS(table) NUVRIK_U16((table)->stale_ms)
#endif
#ifndef NUVRIK_CONTROL_OFF_BY
#define NUVRIK_CONTROL_OFF_BY(table) NUVRIK_U8((table)->off_by)
#endif

#ifndef NUVRIK_ROCKER_PLUS
#define NUVRIK_ROCKER_PLUS(table) NUVRIK_U8((table)->plus)
#endif
#ifndef NUVRIK_ROCKER_MINUS
#define NUVRIK_ROCKER_MINUS(table) NUVRIK_U8((table)->minus)
#endif

#ifndef NUVRIK_NUDGE_UP
#define NUVRIK_NUDGE_UP(table) NUVRIK_U8((table)->up)
#endif
#ifndef NUVRIK_NUDGE_DOWN
#define NUVRIK_NUDGE_DOWN(table) NUVRIK_U8((table)->down)
#endif
#ifndef NUVRIK_NUDGE_BACK
#define NUVRIK_NUDGE_BACK(table) NUVRIK_U8((table)->back)
#endif
#ifndef NUVRIK_NUDGE_STEP
#define NUVRIK_NUDGE_STEP(table) NUVRIK_I16((table)->step)
#endif
#ifndef NUVRIK_NUDGE_LOW
#define NUVRIK_NUDGE_LOW(table) NUVRIK_I16((table)->low)
#endif
#ifndef NUVRIK_NUDGE_HIGH
#define NUVRIK_NUDGE_HIGH(table) NUVRIK_I16((table)->high)
#endif
#ifndef NUVRIK_NUDGE_START
#define NUVRIK_NUDGE_START(table) NUVRIK_I16((table)->start)
#endif
#ifndef NUVRIK_NUDGE_WAITS
#define NUVRIK_NUDGE_WAITS(table) NUVRIK_U8((table)->waits)
#endif

#ifndef NUVRIK_SELECTOR_BUTTONS
#define NUVRIK_SELECTOR_BUTTONS(table) NUVRIK_P((table)->buttons)
#endif
#ifndef NUVRIK_SELECTOR_BUTTONS_COUNT
#define NUVRIK_SELECTOR_BUTTONS_COUNT(table) NUVRIK_U8((table)->buttons_count)
#endif
#ifndef NUVRIK_SELECTOR_VALUES
#define NUVRIK_SELECTOR_VALUES(table) NUVRIK_P((table)->values)
#endif
#ifndef NUVRIK_SELECTOR_VALUES_COUNT
#define NUVRIK_SELECTOR_VALUES_COUNT(table) NUVRIK_U8((table)->values_count)
#endif
#ifndef NUVRIK_SELECTOR_START
#define NUVRIK_SELECTOR_START(table) NUVRIK_U8((table)->start)
#endif
#ifndef NUVRIK_SELECTOR_WAITS
#define NUVRIK_SELECTOR_WAITS(table) NUVRIK_U8((table)->waits)
#endif

#ifndef NUVRIK_HANDS_CONTROLS
#define NUVRIK_HANDS_CONTROLS(table) NUVRIK_P((table)->controls)
#endif
#ifndef NUVRIK_HANDS_CONTROLS_COUNT
#define NUVRIK_HANDS_CONTROLS_COUNT(table) NUVRIK_U8((table)->controls_count)
#endif
#ifndef NUVRIK_HANDS_MOVED
#define NUVRIK_HANDS_MOVED(table) NUVRIK_P((table)->moved)
#endif
#ifndef NUVRIK_HANDS_MOVED_COUNT
#define NUVRIK_HANDS_MOVED_COUNT(table) NUVRIK_U8((table)->moved_count)
#endif
#ifndef NUVRIK_HANDS_BUTTONS
#define NUVRIK_HANDS_BUTTONS(table) NUVRIK_P((table)->buttons)
#endif
#ifndef NUVRIK_HANDS_BUTTONS_COUNT
#define NUVRIK_HANDS_BUTTONS_COUNT(table) NUVRIK_U8((table)->buttons_count)
#endif
#ifndef NUVRIK_HANDS_KEYS
#define NUVRIK_HANDS_KEYS(table) NUVRIK_P((table)->keys)
#endif
#ifndef NUVRIK_HANDS_KEYS_COUNT
#define NUVRIK_HANDS_KEYS_COUNT(table) NUVRIK_U8((table)->keys_count)
#endif
#ifndef NUVRIK_HANDS_ROCKERS
#define NUVRIK_HANDS_ROCKERS(table) NUVRIK_P((table)->rockers)
#endif
#ifndef NUVRIK_HANDS_ROCKERS_COUNT
#define NUVRIK_HANDS_ROCKERS_COUNT(table) NUVRIK_U8((table)->rockers_count)
#endif
#ifndef NUVRIK_HANDS_NUDGES
#define NUVRIK_HANDS_NUDGES(table) NUVRIK_P((table)->nudges)
#endif
#ifndef NUVRIK_HANDS_NUDGES_COUNT
#define NUVRIK_HANDS_NUDGES_COUNT(table) NUVRIK_U8((table)->nudges_count)
#endif
#ifndef NUVRIK_HANDS_SELECTORS
#define NUVRIK_HANDS_SELECTORS(table) NUVRIK_P((table)->selectors)
#endif
#ifndef NUVRIK_HANDS_SELECTORS_COUNT
#define NUVRIK_HANDS_SELECTORS_COUNT(table) NUVRIK_U8((table)->selectors_count)
#endif
#ifndef NUVRIK_HANDS_SEEN
#define NUVRIK_HANDS_SEEN(table) NUVRIK_P((table)->seen)
#endif
#ifndef NUVRIK_HANDS_SEEN_COUNT
#define NUVRIK_HANDS_SEEN_COUNT(table) NUVRIK_U8((table)->seen_count)
#endif

#ifndef NUVRIK_ORIGIN_CONTROL
#define NUVRIK_ORIGIN_CONTROL(table) NUVRIK_U8((table)->control)
#endif
#ifndef NUVRIK_ORIGIN_WEIGHT
#define NUVRIK_ORIGIN_WEIGHT(table) NUVRIK_I16((table)->weight)
#endif

#ifndef NUVRIK_SOURCE_TAKES
#define NUVRIK_SOURCE_TAKES(table) NUVRIK_U8((table)->takes)
#endif
#ifndef NUVRIK_SOURCE_ORIGINS
#define NUVRIK_SOURCE_ORIGINS(table) NUVRIK_P((table)->origins)
#endif
#ifndef NUVRIK_SOURCE_ORIGINS_COUNT
#define NUVRIK_SOURCE_ORIGINS_COUNT(table) NUVRIK_U8((table)->origins_count)
#endif
#ifndef NUVRIK_SOURCE_FIRST
#define NUVRIK_SOURCE_FIRST(table) NUVRIK_U8((table)->first)
#endif
#ifndef NUVRIK_SOURCE_PLACE
#define NUVRIK_SOURCE_PLACE(table) NUVRIK_U8((table)->place)
#endif
#ifndef NUVRIK_SOURCE_BAND
#define NUVRIK_SOURCE_BAND(table) NUVRIK_I16((table)->band)
#endif
#ifndef NUVRIK_SOURCE_REST
#define NUVRIK_SOURCE_REST(table) NUVRIK_I16((table)->rest)
#endif
#ifndef NUVRIK_SOURCE_MULTIPLIED_BY
#define NUVRIK_SOURCE_MULTIPLIED_BY(table) NUVRIK_U8((table)->multiplied_by)
#endif
#ifndef NUVRIK_SOURCE_SLOW_WHEN
#define NUVRIK_SOURCE_SLOW_WHEN(table) NUVRIK_U8((table)->slow_when)
#endif
#ifndef NUVRIK_SOURCE_SLOW_TO
#define NUVRIK_SOURCE_SLOW_TO(table) NUVRIK_I16((table)->slow_to)
#endif
#ifndef NUVRIK_SOURCE_PRESET_WHEN
#define NUVRIK_SOURCE_PRESET_WHEN(table) NUVRIK_U8((table)->preset_when)
#endif
#ifndef NUVRIK_SOURCE_PRESET
#define NUVRIK_SOURCE_PRESET(table) NUVRIK_I16((table)->preset)
#endif
#ifndef NUVRIK_SOURCE_BARE
#define NUVRIK_SOURCE_BARE(table) NUVRIK_U8((table)->bare)
#endif
#ifndef NUVRIK_SOURCE_LOW
#define NUVRIK_SOURCE_LOW(table) NUVRIK_I16((table)->low)
#endif
#ifndef NUVRIK_SOURCE_ON_FROM
#define NUVRIK_SOURCE_ON_FROM(table) NUVRIK_I16((table)->on_from)
#endif
#ifndef NUVRIK_SOURCE_OFF_BELOW
#define NUVRIK_SOURCE_OFF_BELOW(table) NUVRIK_I32((table)->off_below)
#endif
#ifndef NUVRIK_SOURCE_WHEN_ON
#define NUVRIK_SOURCE_WHEN_ON(table) NUVRIK_I16((table)->when_on)
#endif
#ifndef NUVRIK_SOURCE_WHEN_OFF
#define NUVRIK_SOURCE_WHEN_OFF(table) NUVRIK_I16((table)->when_off)
#endif

#ifndef NUVRIK_SOURCES_SOURCES
#define NUVRIK_SOURCES_SOURCES(table) NUVRIK_P((table)->sources)
#endif
#ifndef NUVRIK_SOURCES_SOURCES_COUNT
#define NUVRIK_SOURCES_SOURCES_COUNT(table) NUVRIK_U8((table)->sources_count)
#endif
#ifndef NUVRIK_SOURCES_READY
#define NUVRIK_SOURCES_READY(table) NUVRIK_P((table)->ready)
#endif
#ifndef NUVRIK_SOURCES_READY_COUNT
#define NUVRIK_SOURCES_READY_COUNT(table) NUVRIK_U8((table)->ready_count)
#endif

#ifndef NUVRIK_ARMING_TIMEOUT_MS
#define NUVRIK_ARMING_TIMEOUT_MS(table) NUVRIK_U16((table)->timeout_ms)
#endif
#ifndef NUVRIK_ARMING_STOP_MS
#define NUVRIK_ARMING_STOP_MS(table) NUVRIK_U16((table)->stop_ms)
#endif

#ifndef NUVRIK_HANDSET_HANDS
#define NUVRIK_HANDSET_HANDS(table) NUVRIK_P((table)->hands)
#endif
#ifndef NUVRIK_HANDSET_SOURCES
#define NUVRIK_HANDSET_SOURCES(table) NUVRIK_P((table)->sources)
#endif
#ifndef NUVRIK_HANDSET_ARMING
#define NUVRIK_HANDSET_ARMING(table) NUVRIK_P((table)->arming)
#endif
#ifndef NUVRIK_HANDSET_ARM
#define NUVRIK_HANDSET_ARM(table) NUVRIK_U8((table)->arm)
#endif
#ifndef NUVRIK_HANDSET_ARM_CONTROL
#define NUVRIK_HANDSET_ARM_CONTROL(table) NUVRIK_U8((table)->arm_control)
#endif
#ifndef NUVRIK_HANDSET_STOP
#define NUVRIK_HANDSET_STOP(table) NUVRIK_U8((table)->stop)
#endif
#ifndef NUVRIK_HANDSET_LEFT
#define NUVRIK_HANDSET_LEFT(table) NUVRIK_P((table)->left)
#endif
#ifndef NUVRIK_HANDSET_LEFT_COUNT
#define NUVRIK_HANDSET_LEFT_COUNT(table) NUVRIK_U8((table)->left_count)
#endif
#ifndef NUVRIK_HANDSET_PERIOD_MS
#define NUVRIK_HANDSET_PERIOD_MS(table) NUVRIK_U16((table)->period_ms)
#endif
#ifndef NUVRIK_HANDSET_GUARD_MS
#define NUVRIK_HANDSET_GUARD_MS(table) NUVRIK_U16((table)->guard_ms)
#endif
#ifndef NUVRIK_HANDSET_ASKS
#define NUVRIK_HANDSET_ASKS(table) NUVRIK_U8((table)->asks)
#endif

#ifndef NUVRIK_HEARING_TELLING
#define NUVRIK_HEARING_TELLING(table) NUVRIK_P((table)->telling)
#endif
#ifndef NUVRIK_HEARING_TIMEOUT_MS
#define NUVRIK_HEARING_TIMEOUT_MS(table) NUVRIK_U16((table)->timeout_ms)
#endif
#ifndef NUVRIK_HEARING_LOST_MS
#define NUVRIK_HEARING_LOST_MS(table) NUVRIK_U16((table)->lost_ms)
#endif

#ifndef NUVRIK_TRIGGER_CONTROL
#define NUVRIK_TRIGGER_CONTROL(table) NUVRIK_U8((table)->control)
#endif
#ifndef NUVRIK_TRIGGER_CODE
#define NUVRIK_TRIGGER_CODE(table) NUVRIK_U8((table)->code)
#endif
#ifndef NUVRIK_TRIGGER_ARGUMENTS
#define NUVRIK_TRIGGER_ARGUMENTS(table) NUVRIK_P((table)->arguments)
#endif
#ifndef NUVRIK_TRIGGER_ARGUMENTS_COUNT
#define NUVRIK_TRIGGER_ARGUMENTS_COUNT(table) NUVRIK_U8((table)->arguments_count)
#endif

#ifndef NUVRIK_ASKING_REQUESTS
#define NUVRIK_ASKING_REQUESTS(table) NUVRIK_P((table)->requests)
#endif
#ifndef NUVRIK_ASKING_REQUESTS_COUNT
#define NUVRIK_ASKING_REQUESTS_COUNT(table) NUVRIK_U8((table)->requests_count)
#endif
#ifndef NUVRIK_ASKING_JOG_MOST
#define NUVRIK_ASKING_JOG_MOST(table) NUVRIK_P((table)->jog_most)
#endif
#ifndef NUVRIK_ASKING_JOG_MOST_COUNT
#define NUVRIK_ASKING_JOG_MOST_COUNT(table) NUVRIK_U8((table)->jog_most_count)
#endif
#ifndef NUVRIK_ASKING_TRIGGERS
#define NUVRIK_ASKING_TRIGGERS(table) NUVRIK_P((table)->triggers)
#endif
#ifndef NUVRIK_ASKING_TRIGGERS_COUNT
#define NUVRIK_ASKING_TRIGGERS_COUNT(table) NUVRIK_U8((table)->triggers_count)
#endif

#ifndef NUVRIK_KNOB_CONTROL
#define NUVRIK_KNOB_CONTROL(table) NUVRIK_U8((table)->control)
#endif
#ifndef NUVRIK_KNOB_PIN_A
#define NUVRIK_KNOB_PIN_A(table) NUVRIK_U8((table)->pin_a)
#endif
#ifndef NUVRIK_KNOB_PIN_B
#define NUVRIK_KNOB_PIN_B(table) NUVRIK_U8((table)->pin_b)
#endif
#ifndef NUVRIK_KNOB_LOW
#define NUVRIK_KNOB_LOW(table) NUVRIK_I32((table)->low)
#endif
#ifndef NUVRIK_KNOB_HIGH
#define NUVRIK_KNOB_HIGH(table) NUVRIK_I32((table)->high)
#endif
#ifndef NUVRIK_KNOB_START
#define NUVRIK_KNOB_START(table) NUVRIK_I32((table)->start)
#endif

#ifndef NUVRIK_HANDSET_END_HANDSET
#define NUVRIK_HANDSET_END_HANDSET(table) NUVRIK_P((table)->handset)
#endif
#ifndef NUVRIK_HANDSET_END_WRITER
#define NUVRIK_HANDSET_END_WRITER(table) NUVRIK_P((table)->writer)
#endif
#ifndef NUVRIK_HANDSET_END_SEALED
#define NUVRIK_HANDSET_END_SEALED(table) NUVRIK_P((table)->sealed)
#endif
#ifndef NUVRIK_HANDSET_END_HEARING
#define NUVRIK_HANDSET_END_HEARING(table) NUVRIK_P((table)->hearing)
#endif
#ifndef NUVRIK_HANDSET_END_ASKING
#define NUVRIK_HANDSET_END_ASKING(table) NUVRIK_P((table)->asking)
#endif
#ifndef NUVRIK_HANDSET_END_INCOMING
#define NUVRIK_HANDSET_END_INCOMING(table) NUVRIK_P((table)->incoming)
#endif
#ifndef NUVRIK_HANDSET_END_MEDIUM
#define NUVRIK_HANDSET_END_MEDIUM(table) NUVRIK_P((table)->medium)
#endif
#ifndef NUVRIK_HANDSET_END_KNOBS
#define NUVRIK_HANDSET_END_KNOBS(table) NUVRIK_P((table)->knobs)
#endif
#ifndef NUVRIK_HANDSET_END_KNOBS_COUNT
#define NUVRIK_HANDSET_END_KNOBS_COUNT(table) NUVRIK_U8((table)->knobs_count)
#endif

#ifndef NUVRIK_SHAPE_BITS
#define NUVRIK_SHAPE_BITS(table) NUVRIK_U8((table)->bits)
#endif
#ifndef NUVRIK_SHAPE_HEADER_MARK
#define NUVRIK_SHAPE_HEADER_MARK(table) NUVRIK_U16((table)->header_mark)
#endif
#ifndef NUVRIK_SHAPE_HEADER_SPACE
#define NUVRIK_SHAPE_HEADER_SPACE(table) NUVRIK_U16((table)->header_space)
#endif
#ifndef NUVRIK_SHAPE_ZERO_MARK
#define NUVRIK_SHAPE_ZERO_MARK(table) NUVRIK_U16((table)->zero_mark)
#endif
#ifndef NUVRIK_SHAPE_ZERO_SPACE
#define NUVRIK_SHAPE_ZERO_SPACE(table) NUVRIK_U16((table)->zero_space)
#endif
#ifndef NUVRIK_SHAPE_ONE_MARK
#define NUVRIK_SHAPE_ONE_MARK(table) NUVRIK_U16((table)->one_mark)
#endif
#ifndef NUVRIK_SHAPE_ONE_SPACE
#define NUVRIK_SHAPE_ONE_SPACE(table) NUVRIK_U16((table)->one_space)
#endif
#ifndef NUVRIK_SHAPE_GAP_US
#define NUVRIK_SHAPE_GAP_US(table) NUVRIK_U32((table)->gap_us)
#endif
#ifndef NUVRIK_SHAPE_REPEAT_US
#define NUVRIK_SHAPE_REPEAT_US(table) NUVRIK_U32((table)->repeat_us)
#endif
#ifndef NUVRIK_SHAPE_TAIL
#define NUVRIK_SHAPE_TAIL(table) NUVRIK_P((table)->tail)
#endif
#ifndef NUVRIK_SHAPE_TAIL_COUNT
#define NUVRIK_SHAPE_TAIL_COUNT(table) NUVRIK_U8((table)->tail_count)
#endif

#ifndef NUVRIK_KEY_CODE_WORDS
#define NUVRIK_KEY_CODE_WORDS(table) NUVRIK_P((table)->words)
#endif
#ifndef NUVRIK_KEY_CODE_WORDS_COUNT
#define NUVRIK_KEY_CODE_WORDS_COUNT(table) NUVRIK_U8((table)->words_count)
#endif

#ifndef NUVRIK_CODE_PROTOCOL
#define NUVRIK_CODE_PROTOCOL(table) NUVRIK_U8((table)->protocol)
#endif
#ifndef NUVRIK_CODE_ADDRESS
#define NUVRIK_CODE_ADDRESS(table) NUVRIK_U16((table)->address)
#endif
#ifndef NUVRIK_CODE_ADDRESS_BITS
#define NUVRIK_CODE_ADDRESS_BITS(table) NUVRIK_U8((table)->address_bits)
#endif
#ifndef NUVRIK_CODE_UNIT_PARTS
#define NUVRIK_CODE_UNIT_PARTS(table) NUVRIK_U16((table)->unit_parts)
#endif
#ifndef NUVRIK_CODE_UNIT_OF
#define NUVRIK_CODE_UNIT_OF(table) NUVRIK_U8((table)->unit_of)
#endif
#ifndef NUVRIK_CODE_SHAPE
#define NUVRIK_CODE_SHAPE(table) NUVRIK_P((table)->shape)
#endif

#ifndef NUVRIK_REMOTE_CODE
#define NUVRIK_REMOTE_CODE(table) NUVRIK_P((table)->code)
#endif
#ifndef NUVRIK_REMOTE_CODES_SENT
#define NUVRIK_REMOTE_CODES_SENT(table) NUVRIK_P((table)->codes_sent)
#endif
#ifndef NUVRIK_REMOTE_CODES_SENT_COUNT
#define NUVRIK_REMOTE_CODES_SENT_COUNT(table) NUVRIK_U8((table)->codes_sent_count)
#endif
#ifndef NUVRIK_REMOTE_FRAMES
#define NUVRIK_REMOTE_FRAMES(table) NUVRIK_U8((table)->frames)
#endif
#ifndef NUVRIK_REMOTE_PERIOD_MS
#define NUVRIK_REMOTE_PERIOD_MS(table) NUVRIK_U16((table)->period_ms)
#endif
#ifndef NUVRIK_REMOTE_CARRIER_HZ
#define NUVRIK_REMOTE_CARRIER_HZ(table) NUVRIK_U16((table)->carrier_hz)
#endif
#ifndef NUVRIK_REMOTE_MEDIUM
#define NUVRIK_REMOTE_MEDIUM(table) NUVRIK_P((table)->medium)
#endif

#ifndef NUVRIK_HEARD_KEY_CODE
#define NUVRIK_HEARD_KEY_CODE(table) NUVRIK_P((table)->code)
#endif
#ifndef NUVRIK_HEARD_KEY_CONTROL
#define NUVRIK_HEARD_KEY_CONTROL(table) NUVRIK_U8((table)->control)
#endif
#ifndef NUVRIK_HEARD_KEY_IS_OFF
#define NUVRIK_HEARD_KEY_IS_OFF(table) NUVRIK_U8((table)->is_off)
#endif

#ifndef NUVRIK_RECEIVER_SHAPE
#define NUVRIK_RECEIVER_SHAPE(table) NUVRIK_P((table)->shape)
#endif
#ifndef NUVRIK_RECEIVER_PROTOCOL
#define NUVRIK_RECEIVER_PROTOCOL(table) NUVRIK_U8((table)->protocol)
#endif
#ifndef NUVRIK_RECEIVER_ADDRESS
#define NUVRIK_RECEIVER_ADDRESS(table) NUVRIK_U16((table)->address)
#endif
#ifndef NUVRIK_RECEIVER_HEARD
#define NUVRIK_RECEIVER_HEARD(table) NUVRIK_P((table)->heard)
#endif
#ifndef NUVRIK_RECEIVER_HEARD_COUNT
#define NUVRIK_RECEIVER_HEARD_COUNT(table) NUVRIK_U8((table)->heard_count)
#endif
#ifndef NUVRIK_RECEIVER_LAPSE_MS
#define NUVRIK_RECEIVER_LAPSE_MS(table) NUVRIK_U16((table)->lapse_ms)
#endif
#ifndef NUVRIK_RECEIVER_HANDSET
#define NUVRIK_RECEIVER_HANDSET(table) NUVRIK_P((table)->handset)
#endif
#ifndef NUVRIK_RECEIVER_MACHINE
#define NUVRIK_RECEIVER_MACHINE(table) NUVRIK_P((table)->machine)
#endif
#ifndef NUVRIK_RECEIVER_CHANNELS
#define NUVRIK_RECEIVER_CHANNELS(table) NUVRIK_P((table)->channels)
#endif
#ifndef NUVRIK_RECEIVER_CHANNELS_COUNT
#define NUVRIK_RECEIVER_CHANNELS_COUNT(table) NUVRIK_U8((table)->channels_count)
#endif
#ifndef NUVRIK_RECEIVER_PINS
#define NUVRIK_RECEIVER_PINS(table) NUVRIK_P((table)->pins)
#endif
#ifndef NUVRIK_RECEIVER_PINS_COUNT
#define NUVRIK_RECEIVER_PINS_COUNT(table) NUVRIK_U8((table)->pins_count)
#endif
#ifndef NUVRIK_RECEIVER_MEDIUM
#define NUVRIK_RECEIVER_MEDIUM(table) NUVRIK_P((table)->medium)
#endif
#ifndef NUVRIK_RECEIVER_LOOP
#define NUVRIK_RECEIVER_LOOP(table) NUVRIK_P((table)->loop)
#endif

#ifndef NUVRIK_BRIDGE_INCOMING
#define NUVRIK_BRIDGE_INCOMING(table) NUVRIK_P((table)->incoming)
#endif
#ifndef NUVRIK_BRIDGE_SEALED
#define NUVRIK_BRIDGE_SEALED(table) NUVRIK_P((table)->sealed)
#endif
#ifndef NUVRIK_BRIDGE_SENDER
#define NUVRIK_BRIDGE_SENDER(table) NUVRIK_P((table)->sender)
#endif
#ifndef NUVRIK_BRIDGE_MOST
#define NUVRIK_BRIDGE_MOST(table) NUVRIK_U8((table)->most)
#endif

#endif
