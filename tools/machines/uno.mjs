// An ATmega328P at 16 MHz with a firmware, in steps: each line of JSON on standard input lets it run for a while, and is
// answered by a line with what happened. uno.mjs FIRMWARE.hex
import { readFileSync } from "node:fs";
import { createInterface } from "node:readline";
import {
  AVRIOPort, AVRTimer, AVRTWI, AVRUSART, CPU, avrInstruction, portBConfig, portCConfig, portDConfig, timer0Config,
  twiConfig, usart0Config,
} from "avr8js";

const HZ = 16e6;

const program = new Uint16Array(0x8000 / 2);
const bytes = new Uint8Array(program.buffer);
for (const line of readFileSync(process.argv[2], "ascii").split("\n")) {
  if (line[0] !== ":" || line.slice(7, 9) !== "00") continue;
  const at = parseInt(line.slice(3, 7), 16);
  for (let n = 0; n < parseInt(line.slice(1, 3), 16); n++) bytes[at + n] = parseInt(line.slice(9 + 2 * n, 11 + 2 * n), 16);
}

const cpu = new CPU(program);
new AVRTimer(cpu, timer0Config);
const serial = new AVRUSART(cpu, usart0Config, HZ);
const bus = new AVRTWI(cpu, twiConfig, HZ);
const ports = [portDConfig, portBConfig, portCConfig].map((config) => new AVRIOPort(cpu, config));

let events = [];
let sent = [];
const received = [];
let waits = null; // an event of the bus that must be answered before the program goes on

ports.forEach((port, number) => {
  const config = [portDConfig, portBConfig, portCConfig][number];
  port.addListener(() => events.push([cpu.cycles, number, cpu.data[config.PORT], cpu.data[config.DDR]]));
});
serial.onByteTransmit = (value) => sent.push(value);
const feed = () => { if (received.length && serial.writeByte(received[0])) received.shift(); };
serial.onRxComplete = feed;

const byteCycles = () => Math.round((9 * HZ) / bus.sclFrequency);
const ask = (kind, value = 0) => { waits = { kind, value, cycle: cpu.cycles + byteCycles() }; };
bus.eventHandler = {
  start: () => cpu.addClockEvent(() => bus.completeStart(), byteCycles() / 9),
  stop: () => { ask("stop"); },
  connectToSlave: (address, write) => ask(write ? "write to" : "read from", address),
  writeByte: (value) => ask("byte", value),
  readByte: () => ask("give"),
};

function answer(value) {
  const { kind, cycle } = waits;
  waits = null;
  const complete = {
    "stop": () => bus.completeStop(), "write to": () => bus.completeConnect(value), "read from": () => bus.completeConnect(value),
    "byte": () => bus.completeWrite(value), "give": () => bus.completeRead(value),
  }[kind];
  cpu.addClockEvent(complete, Math.max(0, (kind === "stop" ? cpu.cycles : cycle) - cpu.cycles));
}

for await (const line of createInterface({ input: process.stdin })) {
  const { cycles, data, inputs, reply } = JSON.parse(line);
  if (reply !== undefined && waits) answer(reply);
  received.push(...Buffer.from(data ?? "", "hex"));
  for (const [port, pin, level] of inputs ?? []) ports[port].setPin(pin, Boolean(level));
  feed();
  const end = cpu.cycles + cycles;
  while (cpu.cycles < end && !waits) {
    avrInstruction(cpu);
    cpu.tick();
  }
  feed();
  process.stdout.write(JSON.stringify({
    cycle: cpu.cycles, events, sent: Buffer.from(sent).toString("hex"), waits, left: received.length,
  }) + "\n");
  events = [];
  sent = [];
}
