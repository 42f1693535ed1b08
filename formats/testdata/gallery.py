#!/usr/bin/python3
"""Writes the gallery: one small session in the many shapes in which logs come, and gallery.json,
which says what must come out of each. The workbooks named openpyxl are written by that library
(Debian's python3-openpyxl); gallery.mjs writes those of other writers.

The session: a reading every 10 s from 2026-02-03 18:20:00 on, twelve of them.
"""
import io, json, os, zipfile, datetime as dt

HERE = os.path.join(os.path.dirname(os.path.abspath(__file__)), "gallery")
N = 12
T = [10 * i for i in range(N)]
SOC = [10 + 0.5 * i for i in range(N)]
KW = [0, 40, 80, 120, 150, 150, 149.5, 149, 148.5, 148, 147.5, 147]
V = [380 + 0.5 * i for i in range(N)]
A = [round(k * 1000 / v, 1) for k, v in zip(KW, V)]
C = [21 + 0.5 * i for i in range(N)]
START = dt.datetime(2026, 2, 3, 18, 20, 0)
AT = [START + dt.timedelta(seconds=t) for t in T]
expect = {}


def put(name, text, encoding="utf-8", channels="soc power", **more):
    body = text if isinstance(text, bytes) else text.encode(encoding)
    with open(os.path.join(HERE, name), "wb") as f:
        f.write(body)
    say(name, channels, **more)


def say(name, channels="soc power", **more):
    expect[name] = {"channels": channels.split(), **more}


def refuse(name, body, sentence):
    with open(os.path.join(HERE, name), "wb") as f:
        f.write(body if isinstance(body, bytes) else body.encode())
    expect[name] = {"refused": sentence}


def rows(*columns, sep=",", dec="."):
    def cell(x):
        if isinstance(x, float):
            x = f"{x:g}"
        x = str(x)
        return x.replace(".", dec) if dec != "." and x.replace(".", "").replace("-", "").isdigit() else x
    return "".join(sep.join(cell(x) for x in r) + "\n" for r in zip(*columns))


def hms(a):
    return a.strftime("%H:%M:%S")


# Headers, title rows, units, totals
put("title-rows.csv", "Workshop log 7\nVan: Medlar 60\n\nTime (s),SoC (%),Power (kW)\n" + rows(T, SOC, KW))
put("units-row.csv", "Time,SoC,Power,Voltage\ns,%,W,V\n" + rows(T, SOC, [k * 1000 for k in KW], V), channels="soc power voltage")
put("units-row-brackets.csv", "Time;Ladestand;Leistung\n[s];[%];[kW]\n" + rows(T, SOC, KW, sep=";", dec=","))
put("two-header-lines.csv", "Car,,,Stall,\nTime (s),SoC %,kW,kW,V\n" + rows(T, SOC, KW, [round(k * 1.04, 2) for k in KW], V),
    sides={"car": "soc power", "stall": "power@1.04 voltage"})
put("group-above.csv", ",Battery,,Charger\nseconds,SoC [%],Power [kW],Power [kW]\n" + rows(T, SOC, KW, [round(k * 1.04, 2) for k in KW]),
    sides={"car": "soc power", "stall": "power@1.04"})
put("car-and-screen.csv", "time s,SoC,car kW,screen kW\n" + rows(T, SOC, KW, [round(k * 1.04, 2) for k in KW]),
    sides={"car": "soc power", "stall": "power@1.04"})
put("requested-and-delivered.csv", "time s,SoC,requested kW,delivered kW\n" + rows(T, SOC, [k + 5 for k in KW], KW),
    channels="soc power requested")
put("repeated-header.csv", "Time,SoC %,Power kW\n" + rows(T[:6], SOC[:6], KW[:6]) + "Time,SoC %,Power kW\n" + rows(T[6:], SOC[6:], KW[6:]), left_out=[8])
put("remark-once.csv", "Time (s),SoC (%),Power (kW),Remarks\n" + rows(T[:5], SOC[:5], KW[:5]) + "50,12.5,150,fans loud\n" + rows(T[6:], SOC[6:], KW[6:]))
F = [round(c * 1.8 + 32, 1) for c in C]
put("title-and-units-row.csv", "Workshop log 7,,,\n,,,\nTime,Charge,Battery min,Rate\ns,%,°F,kW\n" + rows(T, SOC, F, KW), channels="soc power temp_min")
put("unnamed-fahrenheit.csv", "Time (s),SoC (%),Power (kW),Coldest cell temp,12V battery voltage (V)\n" +
    rows(T, SOC, KW, F, [13.8] * N), channels="soc power temp_min")
put("max-f-min-f.csv", "Time (s),SoC (%),Power (kW),Battery min F,Heater current (A)\n" + rows(T, SOC, KW, F, [4] * N), channels="soc power temp_min")
put("seconds-since-midnight.csv", "Time,SoC (%),Power (kW)\n" + rows([66000 + t for t in T], SOC, KW))
put("day-fraction.csv", "Time,SoC (%),Power (kW)\n" + rows([f"{(66000 + t) / 86400:.9f}" for t in T], SOC, KW))
put("log_20260203_182000.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T, SOC, KW), started="2026-02-03T18:20:00Z")
put("log_2026-02-03_18-20.csv", "Clock,SoC (%),Power (kW)\n" + rows([hms(a) for a in AT], SOC, KW), started="2026-02-03T18:20:00Z")
put("total-below.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T, SOC, KW) + "Total,,1470\n", left_out=[14])
put("stray-text-row.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T[:5], SOC[:5], KW[:5]) + "fan starts\n" + rows(T[5:], SOC[5:], KW[5:]), left_out=[7])
put("cut-last-line.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T, SOC, KW) + "120,16.", left_out=[14])
put("bad-row.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T[:3], SOC[:3], KW[:3]) + "25,oops,\n" + rows(T[3:], SOC[3:], KW[3:]), left_out=[5])
put("blank-lines.csv", "\n\nTime (s),SoC (%),Power (kW)\n\n" + rows(T, SOC, KW).replace("\n", "\n\n"))
put("quoted.csv", '"Time (s)","SoC (%)","Power (kW)"\n' + "".join(f'"{t}","{s}","{k}"\n' for t, s, k in zip(T, SOC, KW)))
put("quoted-newline.csv", '"Time (s)","SoC (%)","Power (kW)","Note"\n' + "".join(
    f'{t},{s},{k},"{"line one" + chr(10) + "line two" if t == 30 else ""}"\n' for t, s, k in zip(T, SOC, KW)))
put("trailing-commas.csv", "Time (s),SoC (%),Power (kW),,\n" + "".join(f"{t},{s},{k},,\n" for t, s, k in zip(T, SOC, KW)))
put("sep-line.csv", "sep=;\nTime (s);SoC (%);Power (kW)\n" + rows(T, SOC, KW, sep=";"))
put("cr-only-crlf.csv", ("Time (s),SoC (%),Power (kW)\n" + rows(T, SOC, KW)).replace("\n", "\r\n"))

# Delimiters, decimals, thousands
put("tabs.tsv", "Time (s)\tSoC (%)\tPower (kW)\n" + rows(T, SOC, KW, sep="\t"))
put("bars.txt", "Time (s)|SoC (%)|Power (kW)\n" + rows(T, SOC, KW, sep="|"))
put("semicolons-decimal-comma.csv", "Time (s);SoC (%);Power (kW)\n" + rows(T, SOC, KW, sep=";", dec=","))
put("quoted-decimal-comma.csv", "Time (s),SoC (%),Power (kW)\n" + "".join(
    f'{t},"{str(s).replace(".", ",")}","{str(float(k)).replace(".", ",")}"\n' for t, s, k in zip(T, SOC, KW)))


def thousands(v, mark):
    return f"{v:,}".replace(",", mark)


W = [int(k * 1000) for k in KW]
put("thousands-comma.csv", "Time (s);SoC (%);Power (W)\n" + rows(T, SOC, [thousands(w, ",") for w in W], sep=";"))
put("thousands-point.csv", "Time (s);SoC (%);Power (W)\n" + rows(T, [str(s).replace(".", ",") for s in SOC], [thousands(w, ".") for w in W], sep=";"))
put("thousands-space.csv", "Time (s);SoC (%);Power (W)\n" + rows(T, SOC, [thousands(w, "\u202f") for w in W], sep=";"))
put("thousands-apostrophe.csv", "Time (s);SoC (%);Power (W)\n" + rows(T, SOC, [thousands(w, "'") for w in W], sep=";"))
E3 = [round(7.4 + 0.033 * i, 3) for i in range(N)]
put("three-decimals-comma.csv", "Zeit (s);SoC (%);Leistung (kW);Energie (kWh)\n" + rows(
    T, [str(s).replace(".", ",") for s in SOC], [str(k).replace(".", ",") for k in KW], [f"{e:.3f}".replace(".", ",") for e in E3], sep=";"),
    channels="soc power energy")
put("three-decimals-point.csv", "Time (s),SoC (%),Power (kW),Energy (kWh)\n" + rows(T, SOC, KW, [f"{e:.3f}" for e in E3]), channels="soc power energy")
put("units-in-cells.csv", "Time,SoC,Power\n" + "".join(f"{t} s,{s} %,{k} kW\n" for t, s, k in zip(T, SOC, KW)))
put("minus-signs.csv", "Time (s),SoC (%),Current (A),Voltage (V)\n" + rows(T, SOC, [f"\u2212{a}" if a else "0" for a in A], V), channels="soc current voltage")
put("amps-negative.csv", "Time (s),SoC (%),Current (A),Voltage (V)\n" + rows(T, SOC, [-a for a in A], V), channels="soc current voltage")

# No value
bad = ["#DIV/0!", "NaN", "--", "", "n/a", "null", "-", "#WERT!", "Inf", "#N/A", "?", "none"]
put("no-values.csv", "Time (s),SoC (%),Power (kW),Battery temp (\u00b0C)\n" + rows(T, SOC, KW, bad))

# Languages
for lang, head in {
    "de": "Uhrzeit;Ladezustand (%);Ladeleistung (kW);Batterietemperatur min (\u00b0C)",
    "fr": "Heure;\u00c9tat de charge (%);Puissance (kW);Temp\u00e9rature batterie minimale (\u00b0C)",
    "es": "Hora;Estado de carga (%);Potencia (kW);Temperatura m\u00ednima de la bater\u00eda (\u00b0C)",
    "it": "Ora;Stato di carica (%);Potenza (kW);Temperatura minima batteria (\u00b0C)",
    "nl": "Tijd;Laadniveau (%);Vermogen (kW);Laagste accutemperatuur (\u00b0C)",
    "sv": "Tid;Laddniv\u00e5 (%);Effekt (kW);L\u00e4gsta batteritemperatur (\u00b0C)",
    "no": "Tid;Ladeniv\u00e5 (%);Effekt (kW);Laveste batteritemperatur (\u00b0C)",
    "da": "Tid;Ladetilstand (%);Effekt (kW);Laveste batteritemperatur (\u00b0C)",
    "fi": "Aika;Varaustila (%);Latausteho (kW);Akun alin l\u00e4mp\u00f6tila (\u00b0C)",
}.items():
    put(f"language-{lang}.csv", head + "\n" + rows([hms(a) for a in AT], SOC, KW, C, sep=";", dec=","), channels="soc power temp_min")

# Encodings
plain = "Time (s);SoC (%);Power (kW);Außen (°C)\n" + rows(T, SOC, KW, C, sep=";")
put("bom.csv", "\ufeff" + plain, channels="soc power ambient")
put("utf16-le.csv", b"\xff\xfe" + plain.encode("utf-16-le"), channels="soc power ambient")
put("utf16-be.csv", b"\xfe\xff" + plain.encode("utf-16-be"), channels="soc power ambient")
put("utf16-bare.csv", plain.encode("utf-16-le"), channels="soc power ambient")
put("latin1.csv", plain, encoding="latin-1", channels="soc power ambient")

# Times
put("clock-12h.csv", "Clock,SoC (%),Power (kW)\n" + rows([a.strftime("%I:%M:%S %p").lstrip("0") for a in AT], SOC, KW))
put("clock-12h-dots.csv", "Time of day,SoC (%),Power (kW)\n" + rows([a.strftime("%I:%M:%S ") + "p.m." for a in AT], SOC, KW))
late = [dt.datetime(2026, 2, 3, 23, 59, 10) + dt.timedelta(seconds=t) for t in T]
put("past-midnight.csv", "Clock,SoC (%),Power (kW)\n" + rows([hms(a) for a in late], SOC, KW))
put("past-noon-12h.csv", "Clock,SoC (%),Power (kW)\n" + rows(
    [(dt.datetime(2026, 2, 3, 12, 59, 10) + dt.timedelta(seconds=t)).strftime("%I:%M:%S %p") for t in T], SOC, KW))
put("date-iso.csv", "Timestamp,SoC (%),Power (kW)\n" + rows([a.isoformat(" ") for a in AT], SOC, KW), started="2026-02-03T18:20:00Z")
put("date-offset.csv", "Timestamp,SoC (%),Power (kW)\n" + rows([a.isoformat() + "+0100" for a in AT], SOC, KW), started="2026-02-03T17:20:00Z")
put("date-german.csv", "Datum;SoC (%);Leistung (kW)\n" + rows([a.strftime("%d.%m.%Y %H:%M:%S") for a in AT], SOC, KW, sep=";"), started="2026-02-03T18:20:00Z")
put("date-day-first.csv", "Date/time,SoC (%),Power (kW)\n" + rows(
    [(a + dt.timedelta(days=20)).strftime("%d/%m/%Y %H:%M:%S") for a in AT], SOC, KW), started="2026-02-23T18:20:00Z")
put("date-month-first.csv", "Date/time,SoC (%),Power (kW)\n" + rows(
    [(a + dt.timedelta(days=20)).strftime("%m/%d/%Y %H:%M:%S") for a in AT], SOC, KW), started="2026-02-23T18:20:00Z")
put("date-unsure.csv", "Date/time,SoC (%),Power (kW)\n" + rows([a.strftime("%d/%m/%Y %H:%M:%S") for a in AT], SOC, KW),
    started="2026-02-03T18:20:00Z", unsure=True)
over = [dt.datetime(2026, 3, 4, 23, 59, 10) + dt.timedelta(seconds=t) for t in T]
put("date-month-first-by-run.csv", "Date/time,SoC (%),Power (kW)\n" + rows([a.strftime("%m/%d/%Y %H:%M:%S") for a in over], SOC, KW),
    started="2026-03-04T23:59:10Z")
put("date-12h.csv", "Date time,SoC (%),Power (kW)\n" + rows([(a + dt.timedelta(days=20)).strftime("%m/%d/%Y %I:%M:%S %p") for a in AT], SOC, KW),
    started="2026-02-23T18:20:00Z")
put("date-names.csv", "Date time,SoC (%),Power (kW)\n" + rows([a.strftime("%d %b %Y %H:%M:%S") for a in AT], SOC, KW), started="2026-02-03T18:20:00Z")
put("date-and-time-columns.csv", "Date,Time,SoC (%),Power (kW)\n" + rows([a.strftime("%d.%m.%Y") for a in late], [hms(a) for a in late], SOC, KW),
    started="2026-02-03T23:59:10Z")
put("date-compact.csv", "Time stamp,SoC (%),Power (kW)\n" + rows([a.strftime("%Y%m%d %H%M%S") for a in AT], SOC, KW), started="2026-02-03T18:20:00Z")
day = (START - dt.datetime(1899, 12, 30)).total_seconds() / 86400
put("serial-dates.csv", "Date,SoC (%),Power (kW)\n" + rows([f"{day + t / 86400:.10f}" for t in T], SOC, KW), started="2026-02-03T18:20:00Z")
put("epoch-ms.csv", "timestamp,SoC (%),Power (kW)\n" + rows([int(a.replace(tzinfo=dt.timezone.utc).timestamp() * 1000) for a in AT], SOC, KW),
    started="2026-02-03T18:20:00Z")
spring = [dt.datetime(2026, 3, 29, 1, 59, 10) + dt.timedelta(seconds=t + (3600 if t >= 50 else 0)) for t in T]
put("summer-time-begins.csv", "Time,SoC (%),Power (kW)\n" + rows([a.isoformat(" ") for a in spring], SOC, KW), started="2026-03-29T01:59:10Z")
autumn = [dt.datetime(2026, 10, 25, 2, 59, 10) + dt.timedelta(seconds=t - (3600 if t >= 50 else 0)) for t in T]
put("summer-time-ends.csv", "Time,SoC (%),Power (kW)\n" + rows([a.isoformat(" ") for a in autumn], SOC, KW), started="2026-10-25T02:59:10Z")
put("elapsed-minutes.csv", "Elapsed,SoC (%),Power (kW)\n" + rows([f"{t // 60}:{t % 60:02d}" for t in T], SOC, KW))
put("minutes-decimal.csv", "Zeit (min);SoC (%);Leistung (kW)\n" + rows([f"{t / 60:.5f}" for t in T], SOC, KW, sep=";", dec=","))
put("milliseconds.csv", "time_ms,soc,power_kw_now\n" + rows([t * 1000 for t in T], SOC, KW))
put("disorder.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T[6:], SOC[6:], KW[6:]) + rows(T[:6], SOC[:6], KW[:6]), order=list(range(6, 12)) + list(range(6)))

# One value a row
long = "".join(f"{a.isoformat(' ')};{n};{v:g};{u}\n" for i, a in enumerate(AT) for n, v, u in (
    ("State of charge", SOC[i], "%"), ("Battery power", KW[i] * 1000, "W"), ("Coldest cell", C[i] * 1.8 + 32, "\u00b0F"), ("Odometer", 4711, "km")))
put("long.csv", "Time;Name;Value;Unit\n" + long, channels="soc power temp_min", started="2026-02-03T18:20:00Z")
put("long-de.csv", "Zeitstempel;Bezeichnung;Wert;Einheit\n" + "".join(
    f"{hms(a)};{n};{str(v).replace('.', ',')};{u}\n" for i, a in enumerate(AT) for n, v, u in (
        ("Ladestand", SOC[i], "%"), ("Leistung", KW[i], "kW"))), channels="soc power")

# JSON
objects = [{"time": a.isoformat() + "Z", "soc_pct": s, "power_kw": k} for a, s, k in zip(AT, SOC, KW)]
put("objects.json", json.dumps(objects), started="2026-02-03T18:20:00Z")
put("lines.jsonl", "".join(json.dumps(o) + "\n" for o in objects), started="2026-02-03T18:20:00Z")
put("lines-cut.jsonl", "".join(json.dumps(o) + "\n" for o in objects) + '{"time": "2026-02', left_out=[13], started="2026-02-03T18:20:00Z")
put("wrapped.json", json.dumps({"device": "logger", "data": {"rows": [
    {"t": t, "battery": {"soc": s, "power": k}} for t, s, k in zip(T, SOC, KW)]}}))
put("columns.json", json.dumps({"seconds": T, "soc": SOC, "power": KW}))


def sampled16(i):
    return {"timestamp": AT[i].isoformat() + "Z", "sampledValue": [
        {"value": f"{KW[i] * 1000:g}", "measurand": "Power.Active.Import", "unit": "W"},
        {"value": f"{SOC[i]:g}", "measurand": "SoC", "unit": "Percent", "location": "EV"},
        {"value": f"{V[i]:g}", "measurand": "Voltage", "unit": "V"}]}


def sampled201(i):
    return {"timestamp": AT[i].isoformat() + "Z", "sampledValue": [
        {"value": KW[i], "measurand": "Power.Active.Import", "unitOfMeasure": {"unit": "W", "multiplier": 3}},
        {"value": SOC[i], "measurand": "SoC", "unitOfMeasure": {"unit": "Percent"}}]}


call = lambda i: [2, f"m{i}", "MeterValues", {"connectorId": 1, "transactionId": 7, "meterValue": [sampled16(i)]}]
meter = dict(side="stall", started="2026-02-03T18:20:00Z")
put("meter-16-lines.log", "".join(f"{AT[i].isoformat()} CP-3 recv {json.dumps(call(i))}\n" for i in range(N)), channels="soc power voltage", **meter)
put("meter-16.json", json.dumps([call(i) for i in range(N)]), channels="soc power voltage", **meter)
put("meter-16-payload.json", json.dumps({"connectorId": 1, "meterValue": [sampled16(i) for i in range(N)]}), channels="soc power voltage", **meter)
put("meter-201.json", json.dumps({"evseId": 1, "meterValue": [sampled201(i) for i in range(N)]}), **meter)
put("meter-201-events.jsonl", "".join(json.dumps([2, f"e{i}", "TransactionEvent", {
    "eventType": "Updated", "timestamp": AT[i].isoformat() + "Z", "triggerReason": "MeterValuePeriodic", "seqNo": i,
    "transactionInfo": {"transactionId": "T1"}, "evse": {"id": 1}, "meterValue": [sampled201(i)]}]) + "\n" for i in range(N)), **meter)

# Odds and ends
put("index-without-a-name.csv", ",time,soc,power\n" + rows(range(N), T, SOC, KW))
put("time-last.csv", "No.,SoC (%),Power (kW),Elapsed time (s)\n" + rows(range(N), SOC, KW, T))
put("names-of-parts.csv", "Timestamp (UTC),Battery Level [%],Charger Power (kW),Pack Current (A),HV Voltage (V)\n" + rows(
    [a.isoformat() + "Z" for a in AT], SOC, KW, A, V), channels="soc power current voltage", started="2026-02-03T18:20:00Z")
put("long-by-seconds.csv", "SECONDS;PID;VALUE;UNITS\n" + "".join(f"{t + 3600};{n};{v};{u}\n" for i, t in enumerate(T) for n, v, u in (
    ("HV battery SoC", SOC[i], "%"), ("HV battery power", KW[i], "kW"))))
put("long-with-more.csv", "Time;PID;Value;Units;Latitude;Longitude\n" + "".join(f"{a};{n};{v};{u};1.0;2.0\n" for i, a in enumerate(AT)
    for n, v, u in (("[BMS] State of charge", SOC[i], "%"), ("[BMS] Power", KW[i], "kW"))), started="2026-02-03T18:20:00Z")
put("clock-colon-ms.csv", "Clock,SoC %,Power kW\n" + rows([a.strftime("%H:%M:%S:000") for a in AT], SOC, KW))
put("elapsed-days.csv", "elapsed,SoC %,Power kW\n" + rows([f"0 days 00:{t // 60:02d}:{t % 60:02d}" for t in T], SOC, KW))
put("date-year-last.csv", "Date,SoC %,Power kW\n" + rows([a.strftime("%a %b %d %H:%M:%S %Y") for a in AT], SOC, KW), started="2026-02-03T18:20:00Z")
put("date-german-month.csv", "Datum;SoC %;Leistung kW\n" + rows([a.strftime("%d. Februar 2026 %H:%M:%S") for a in AT], SOC, KW, sep=";"),
    started="2026-02-03T18:20:00Z")
put("date-month-comma.csv", "Date Time,SoC %,Power kW\n" + rows([a.strftime('"Feb 3, 2026, %I:%M:%S %p"') for a in AT], SOC, KW),
    started="2026-02-03T18:20:00Z")
put("date-two-digits.csv", "Date,SoC,kW\n" + rows([a.strftime("%d.%m.%y %H:%M:%S") for a in AT], SOC, KW), started="2026-02-03T18:20:00Z")
put("carriage-returns.csv", ("Time (s),SoC %,Power kW\n" + rows(T, SOC, KW)).replace("\n", "\r"))
put("stray-bytes.csv", ("Time (s);SoC %;Power kW;Note\n" + "".join(f"{t};{s};{k};ok\n" for t, s, k in zip(T, SOC, KW))).encode().replace(
    b"ok", b"\xff\xfe", 1))
put("battery-percent.csv", "Time,Battery %,kW\n" + rows(T, SOC, KW))
put("two-states-of-charge.csv", "Time,SOC display,SOC BMS,Power\n" + rows(T, SOC, [s - 2 for s in SOC], KW))
put("newest-first.csv", "Time,SoC,kW\n" + rows(T[::-1], SOC[::-1], KW[::-1]), order=list(range(11, -1, -1)))
put("apart-by-spaces.txt", "time   soc   kw\n" + rows(T, SOC, KW, sep="   "))
put("mm-ss.csv", "mm:ss,SoC,kW\n" + rows([f"{t // 60:02d}:{t % 60:02d}" for t in T], SOC, KW))
put("samples-inside.json", json.dumps({"meta": {"v": 1}, "samples": [{"ts": int(a.replace(tzinfo=dt.timezone.utc).timestamp() * 1000),
    "vals": {"soc": s, "power_w": k * 1000}} for a, s, k in zip(AT, SOC, KW)]}), started="2026-02-03T18:20:00Z")
put("numbers-as-text.json", json.dumps([{"Zeit": f"{t}", "Ladestand": str(s).replace(".", ","), "Leistung kW": str(k).replace(".", ",")}
    for t, s, k in zip(T, SOC, KW)]))

# Workbooks and zips
try:
    import openpyxl
    from openpyxl.styles import numbers
    book = openpyxl.Workbook()
    note = book.active
    note.title = "Notes"
    note.append(["Van parked at Fulling Mill"])
    s = book.create_sheet("Log")
    s.append(["Charging log"])
    s.append(["Time", "SoC (%)", "Power (kW)"])
    for i in range(N):
        s.append([AT[i], SOC[i], KW[i]])
    book.save(os.path.join(HERE, "openpyxl-dates.xlsx"))
    say("openpyxl-dates.xlsx", started="2026-02-03T18:20:00Z")
    book = openpyxl.Workbook()
    s = book.active
    s.append(["Time (s)", "SoC (%)", "V", "A", "Power (kW)"])
    for i in range(N):
        s.append([T[i], SOC[i], V[i], A[i], f"=C{i + 2}*D{i + 2}/1000"])
    book.save(os.path.join(HERE, "openpyxl-formulas.xlsx"))
    say("openpyxl-formulas.xlsx", "soc voltage current", left_out=[*range(2, 2 + N)])
    book = openpyxl.Workbook()
    s = book.active
    s.append(["Clock", "SoC (%)", "Power (kW)"])
    for i in range(N):
        s.append([AT[i].time(), SOC[i], KW[i]])
    book.save(os.path.join(HERE, "openpyxl-times.xlsx"))
    say("openpyxl-times.xlsx")
    own = {}  # a workbook that says itself that its number format 60 is a time of day
    with zipfile.ZipFile(os.path.join(HERE, "openpyxl-times.xlsx")) as z:
        for part in z.namelist():
            own[part] = z.read(part)
    own["xl/styles.xml"] = own["xl/styles.xml"].replace(b'numFmtId="21"', b'numFmtId="60"').replace(
        b'<numFmts count="0"/>', b'<numFmts count="1"><numFmt numFmtId="60" formatCode="hh:mm:ss"/></numFmts>')
    assert b"formatCode" in own["xl/styles.xml"]
    with zipfile.ZipFile(os.path.join(HERE, "own-format-60.xlsx"), "w", zipfile.ZIP_DEFLATED) as z:
        for part, body in own.items():
            z.writestr(zipfile.ZipInfo(part, (2026, 2, 3, 0, 0, 0)), body)
    say("own-format-60.xlsx")
    book = openpyxl.Workbook()
    s = book.active
    s["B2"] = "Charging log of the van"
    s.merge_cells("B2:E2")
    for k, name in enumerate(["Date", "Time", "SoC", "Power"]):
        s.cell(5, 2 + k, name)
        s.cell(6, 2 + k, ["", "", "%", "kW"][k])
    for i in range(N):
        for k, v in enumerate([AT[i].date(), AT[i].time(), SOC[i], str(KW[i]).replace(".", ",")]):
            s.cell(7 + i, 2 + k, v)
    s.cell(7 + N, 3, "mean")
    s.cell(7 + N, 5, f"=AVERAGE(D7:D{6 + N})")
    book.save(os.path.join(HERE, "openpyxl-far-inside.xlsx"))
    say("openpyxl-far-inside.xlsx", started="2026-02-03T18:20:00Z", left_out=[7 + N])
except ImportError:
    raise SystemExit("needs python3-openpyxl, and /usr/bin/python3")
say("exceljs.xlsx", started="2026-02-03T18:20:00Z")
say("hyparquet.parquet", started="2026-02-03T18:20:00Z")
say("hyparquet-seconds.parquet", "soc power?")  # one of its values is null
z = io.BytesIO()
with zipfile.ZipFile(z, "w") as f:
    f.writestr("export/log.csv", "Time (s),SoC (%),Power (kW)\n" + rows(T, SOC, KW))
put("one-file.zip", z.getvalue())

# What is refused, and in which words
refuse("empty.csv", "", "empty.csv: is no charging log: the file is empty")
refuse("prose.txt", "Dear workshop,\nthe van is ready.\n", "prose.txt: is no charging log: no row names a column of times and "
       "columns for state of charge, power, or volts and amps")
refuse("picture.png", b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR", "picture.png: is no charging log: it is not text")
refuse("header-only.csv", "Time (s),SoC (%),Power (kW)\n", "header-only.csv: is no charging log: not one row below its header could be read")
refuse("odometer.csv", "Time,Odometer\n0,4711\n10,4711\n", "odometer.csv: is no charging log: no row names a column of times and "
       "columns for state of charge, power, or volts and amps")
refuse("settings.json", '{"language": "en", "units": "metric"}', "settings.json: is no charging log: it holds no table of readings")
refuse("cut.xlsx", open(os.path.join(HERE, "openpyxl-dates.xlsx"), "rb").read()[:1500], "cut.xlsx: no readable zip file")
z = io.BytesIO()
with zipfile.ZipFile(z, "w") as f:
    f.writestr("a.csv", "x")
    f.writestr("b.csv", "y")
refuse("two-files.zip", z.getvalue(), "two-files.zip: it holds 2 files and no run.json: expected a run folder, or one file")
z = io.BytesIO()
with zipfile.ZipFile(z, "w") as f:
    f.writestr("run.json", json.dumps({"format": "zincroad-run/1", "recordings": [{"file": "../../etc/passwd"}]}))
refuse("outside.zip", z.getvalue(), 'run.json:1: recordings[0].file: "../../etc/passwd", expected a file inside this folder')
many = ",".join(f"c{i}" for i in range(10_000))
refuse("ten-thousand-columns.csv", many + "\n" + ",".join(["1"] * 10_000) + "\n", "ten-thousand-columns.csv: is no charging log: "
       "no row names a column of times and columns for state of charge, power, or volts and amps")

with open(os.path.join(HERE, "..", "gallery.json"), "w") as f:
    json.dump(expect, f, indent=1, ensure_ascii=False)
    f.write("\n")
print(len(expect), "files")
