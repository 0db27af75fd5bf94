"""The office's files: targets (CSV), harbour dues (XML with its schema), the berth plan (JSON), a survey (XLSX)."""

import csv
import json
from datetime import date, datetime, timedelta
from pathlib import Path
from random import Random
from xml.sax.saxutils import quoteattr

import xlsxwriter

from northmoor.demo.data.ferries import PORTS, ROUTES, SUMMER

_SEED = 4096
SURVEYED = 2_000
_QUESTIONS = ("Booking", "Boarding", "Comfort", "Staff", "On time")
XSD = """<?xml version="1.0" encoding="UTF-8"?>
<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <xs:simpleType name="money">
    <xs:restriction base="xs:decimal"><xs:fractionDigits value="2"/><xs:minInclusive value="0"/></xs:restriction>
  </xs:simpleType>
  <xs:element name="dues">
    <xs:complexType>
      <xs:sequence>
        <xs:element name="item" maxOccurs="unbounded">
          <xs:complexType>
            <xs:sequence>
              <xs:element name="service" type="xs:string"/>
              <xs:element name="unit" type="xs:string"/>
              <xs:element name="price" type="money"/>
            </xs:sequence>
            <xs:attribute name="code" type="xs:string" use="required"/>
            <xs:attribute name="port" type="xs:string" use="required"/>
            <xs:attribute name="valid_from" type="xs:date" use="required"/>
          </xs:complexType>
        </xs:element>
      </xs:sequence>
    </xs:complexType>
  </xs:element>
</xs:schema>
"""
_SERVICES = (("Berthing", "per call", 4200), ("Passengers", "per head", 35), ("Cars", "per car", 120),
             ("Lorries", "per metre", 95), ("Water", "per cubic metre", 310), ("Waste", "per bag", 250),
             ("Shore power", "per kWh", 28), ("Night call", "per call", 6100),
             ("Linkspan", "per use", 1850))  # fmt: skip


def make_papers(folder: Path) -> None:
    """Write the files that are not there yet."""
    makers = {
        "targets.csv": write_targets,
        "dues.xsd": lambda path: path.write_text(XSD, encoding="utf-8"),
        "dues.xml": write_dues,
        "berths.json": write_berths,
        "survey.xlsx": write_survey,
    }
    for name, make in makers.items():
        if not (folder / name).exists():
            make(folder / name)


def write_targets(path: Path) -> None:
    """Revenue targets by route and month: nothing in months without sailings."""
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(["route", "month", "target"])
        for year in (2024, 2025):
            for route in ROUTES:
                for month in range(1, 13):
                    sails = route.season != "summer" or month in SUMMER
                    cents = route.adult * route.demand * len(route.departures) * 30 * (1.0 if year == 2024 else 1.03)
                    wave = 1 + 0.4 * (1 - abs(month - 7) / 6)
                    target = f"{round(cents * wave / 10_000) * 100}.00" if sails else "0.00"
                    writer.writerow([f"{route.start}-{route.end}", date(year, month, 1).isoformat(), target])


def write_dues(path: Path) -> None:
    """The harbour dues' price list: 60 items."""
    lines = ['<?xml version="1.0" encoding="UTF-8"?>', "<dues>"]
    made = 0
    for port, (code, name, _) in enumerate(PORTS):
        for number, (service, unit, cents) in enumerate(_SERVICES):
            if made == 60:
                break
            price = f"{cents * (100 - 4 * port) // 100 / 100:.2f}"
            head = f'code="{code}{number + 1:02}" port={quoteattr(name)} valid_from="2025-01-01"'
            lines.append(f"  <item {head}><service>{service}</service><unit>{unit}</unit><price>{price}</price></item>")
            made += 1
    path.write_text("\n".join([*lines, "</dues>", ""]), encoding="utf-8")


def write_berths(path: Path) -> None:
    """The berth plan: 40 berths with their depths and the vessels they take."""
    chance = Random(_SEED)
    berths = []
    for number in range(40):
        code, name, _ = PORTS[number % len(PORTS)]
        length = round(30 + 70 * chance.random(), 1)
        vessels = [
            v
            for v, longest in (("Curlew", 78), ("Lapwing", 66), ("Dunlin", 54), ("Greenshank", 48), ("Whimbrel", 40))
            if length >= longest
        ]
        berths.append(
            {
                "berth": f"{code}-{number // len(PORTS) + 1}",
                "port": name,
                "length_m": length,
                "linkspan": number < 10,
                "depth": {"low_m": round(2.5 + 3 * chance.random(), 2), "high_m": round(5.6 + 3 * chance.random(), 2)},
                "vessels": vessels,
            }
        )
    path.write_text(json.dumps(berths, indent=1) + "\n", encoding="utf-8")


def write_survey(path: Path) -> None:
    """What passengers answered: marks from 1 to 5 under a merged head, with gaps where nothing was answered."""
    chance = Random(_SEED + 1)
    book = xlsxwriter.Workbook(str(path), {"default_date_format": "yyyy-mm-dd"})
    book.set_properties({"title": "Passenger survey", "created": datetime(2026, 1, 1)})
    sheet = book.add_worksheet("Answers")
    bold = book.add_format({"bold": True})
    sheet.merge_range("A1:A2", "Day", bold)
    sheet.merge_range("B1:B2", "Route", bold)
    sheet.merge_range("C1:G1", "Mark", bold)
    for column, question in enumerate(_QUESTIONS, 2):
        sheet.write(1, column, question, bold)
    sheet.merge_range("H1:H2", "Again", bold)
    for row in range(2, SURVEYED + 2):
        route = ROUTES[int(chance.random() * len(ROUTES))]
        day = date(2025, 5, 1) + timedelta(days=int(chance.random() * 150))
        sheet.write_datetime(row, 0, datetime(day.year, day.month, day.day))
        sheet.write(row, 1, f"{route.start}-{route.end}")
        for column in range(2, 7):
            if chance.random() > 0.06:
                sheet.write(row, column, 5 - int(4.99 * chance.random() ** 1.7))
        sheet.write(row, 7, "yes" if chance.random() < 0.83 else "no")
    book.close()
