--oak step N: the first members, sites, hives and inspections | own | in transaction | own
insert into keeper (name, email, phone, joined_on) values
    ('Maren Oakhollow', 'maren@brackenfold.example', '0117 496 0001', '2026-03-01'),
    ('Tobias Fennick', null, '0117 496 0002', '2026-03-08'),
    ('Ilse Thornbury', 'ilse@brackenfold.example', '0117 496 0003', '2026-04-19'),
    ('Piet Larkmoor', null, '0117 496 0004', '2026-05-02');
insert into apiary (name, county, forage) values
    ('Lower Heath', 'Brackenfold', 'heather'),
    ('Stillwater Meadow', 'Brackenfold', 'clover'),
    ('Gorse Hill', 'Brackenfold', null);
insert into hive (apiary_id, keeper_id, code, gross_kg, tare_kg, readings) values
    (1, 1, 'LH-1', 42.50, 11.20, '{"hum_hz": 212}'),
    (1, 2, 'LH-2', 38.75, 11.20, null),
    (2, 3, 'SM-1', 51.00, 12.40, '{"hum_hz": 240}'),
    (null, 1, 'GH-1', null, 11.80, null);
insert into inspection (hive_id, keeper_id, made_on, temper, brood_frames, notes) values
    (1, 1, '2026-05-03', 'calm', 7, 'first supers on'),
    (2, 2, '2026-05-03', 'watchful', 5, null),
    (3, 3, '2026-05-10', 'easily upset', 9, 'wear the good gloves');
