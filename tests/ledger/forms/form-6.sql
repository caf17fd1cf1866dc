BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL, 
	written_by VARCHAR NOT NULL, 
	identity VARCHAR(32) NOT NULL, 
	home TEXT NOT NULL, 
	sends INTEGER NOT NULL
);
INSERT INTO "about" VALUES(6,'0.2.0','5761b1ce1efc4b8eb0a1ad5a8a1dbecd','',2);
CREATE TABLE alembic_version (version_num varchar(32) not null primary key);
INSERT INTO "alembic_version" VALUES('6');
CREATE TABLE documents (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	name TEXT NOT NULL, 
	report VARCHAR NOT NULL, 
	format VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	bytes INTEGER NOT NULL, 
	pages INTEGER, 
	rows INTEGER NOT NULL, 
	content VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580',19076,1,1,'b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580');
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580',19076,1,1,'b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580');
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580',19076,1,1,'b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580');
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580',19076,1,1,'b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580');
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580',19076,1,1,'b00d32cef47de7378f55b0b5e663e2542e17caf9882ad4ec45c7e460b7787580');
CREATE TABLE events (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	package_id INTEGER, 
	at VARCHAR NOT NULL, 
	what TEXT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-29T06:09:34.760+00:00','preparing');
INSERT INTO "events" VALUES(2,1,1,'2026-11-29T06:09:34.931+00:00','ready');
INSERT INTO "events" VALUES(3,1,2,'2026-11-29T06:09:34.931+00:00','ready');
INSERT INTO "events" VALUES(4,1,3,'2026-11-29T06:09:34.931+00:00','ready');
INSERT INTO "events" VALUES(5,1,4,'2026-11-29T06:09:34.931+00:00','ready');
INSERT INTO "events" VALUES(6,1,5,'2026-11-29T06:09:34.931+00:00','ready');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-29T06:09:34.937+00:00','prepared');
INSERT INTO "events" VALUES(8,1,3,'2026-11-29T06:09:34.982+00:00','held by maren: asked for');
INSERT INTO "events" VALUES(9,1,1,'2026-11-29T06:09:35.039+00:00','f00042@members.tarnvale.example: sent (250 taken)');
INSERT INTO "events" VALUES(10,1,4,'2026-11-29T06:09:35.043+00:00','f119@members.tarnvale.example: refused (recipient refused: 550 no such box)');
INSERT INTO "events" VALUES(11,1,2,'2026-11-29T06:09:35.158+00:00','f117@members.tarnvale.example: unsure (connection lost before the answer)');
INSERT INTO "events" VALUES(12,1,NULL,'2026-11-05T00:00:00.000+00:00','ledger brought from form 5 to 6');
CREATE TABLE hand_overs (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	package_id INTEGER, 
	message_id INTEGER, 
	purpose VARCHAR NOT NULL, 
	kind VARCHAR NOT NULL, 
	way VARCHAR NOT NULL, 
	target_kind VARCHAR NOT NULL, 
	target TEXT NOT NULL, 
	place TEXT NOT NULL, 
	existing VARCHAR NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	refused VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	put_at TEXT NOT NULL, 
	at VARCHAR, 
	day VARCHAR(10), 
	attempts INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "hand_overs" VALUES(1,1,1,1,'regular','message','','address','f00042@members.tarnvale.example','','','','sent','',250,'taken','','2026-11-29T06:09:35.039+00:00','2026-11-29',1);
INSERT INTO "hand_overs" VALUES(2,1,2,2,'regular','message','','address','f117@members.tarnvale.example','','','','unsure','',NULL,'connection lost before the answer','','2026-11-29T06:09:35.158+00:00','2026-11-29',1);
INSERT INTO "hand_overs" VALUES(3,1,3,3,'regular','message','','address','f118@members.tarnvale.example','','','','waiting','',NULL,'','',NULL,NULL,0);
INSERT INTO "hand_overs" VALUES(4,1,4,4,'regular','message','','address','f119@members.tarnvale.example','','','','refused','recipient',550,'no such box','','2026-11-29T06:09:35.043+00:00',NULL,0);
INSERT INTO "hand_overs" VALUES(5,1,5,5,'regular','message','','address','f120@members.tarnvale.example','','','','begun','',NULL,'','','2026-11-29T06:09:35.260+00:00','2026-11-05',1);
CREATE TABLE messages (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	message_id VARCHAR NOT NULL, 
	called VARCHAR NOT NULL, 
	subject TEXT NOT NULL, 
	sender TEXT NOT NULL, 
	server VARCHAR NOT NULL, 
	"to" JSON NOT NULL, 
	cc JSON NOT NULL, 
	bcc JSON NOT NULL, 
	files JSON NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	UNIQUE (message_id)
);
INSERT INTO "messages" VALUES(1,1,'<76825558499c6331e045e1ddfd12ed9f@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f00042@members.tarnvale.example"]','[]','[]','["00042 statement.pdf"]','f466445be0309f306ccd39c8f622d1315ae4b256eced4e95b5abe7fcb61fc1c8');
INSERT INTO "messages" VALUES(2,2,'<d6f000feaea49b6a1ca0b347b641e15a@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f117@members.tarnvale.example"]','[]','[]','["117 statement.pdf"]','bac2731029c16c16f5d6b3b3a5a32601fea0d206ef0ea22e81eb33ba3a805c8e');
INSERT INTO "messages" VALUES(3,3,'<12a3398f4f802cbf8135b0de702dff10@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f118@members.tarnvale.example"]','[]','[]','["118 statement.pdf"]','d6beaab7f6e606632a499f927f3b890730204de3282be65277ac8cfe76a42a79');
INSERT INTO "messages" VALUES(4,4,'<57431f568afd3f99a49078f7c5dea0ae@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f119@members.tarnvale.example"]','[]','[]','["119 statement.pdf"]','f4da649681e19485c8f9ee8cb2c99e82fe8ca4fb9b09b91a1b2cb5ec560677d8');
INSERT INTO "messages" VALUES(5,5,'<7fb0284bd6694716308a10d4274f84e3@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f120@members.tarnvale.example"]','[]','[]','["120 statement.pdf"]','4603c656a2e1ed0ce665f839cd7deb0749ba88c2f16b9852563ae88293357711');
CREATE TABLE packages (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	"key" TEXT NOT NULL, 
	same_key TEXT NOT NULL, 
	name TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	prepared_as VARCHAR NOT NULL, 
	reason TEXT NOT NULL, 
	rows INTEGER NOT NULL, 
	share JSON NOT NULL, 
	figures JSON NOT NULL, 
	odd JSON NOT NULL, 
	seal VARCHAR(64) NOT NULL, 
	steps JSON NOT NULL, 
	keys JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','00042','Farm 00042','sent','ready','',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','17b3f1da2e7a8c6d0afcf0e5b6aa14177fadaa0ad020951bfdaeb85b40c08dc7','[]','[]');
INSERT INTO "packages" VALUES(2,1,'117','117','Farm 117','unsure','ready','f117@members.tarnvale.example: connection lost before the answer',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','bc1c763b370bfad5681ce550e66106a273647ebba9b433c19dd1b252d65bc363','[]','[]');
INSERT INTO "packages" VALUES(3,1,'118','118','Farm 118','held','ready','asked for',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','aeb3a1001d7657ec5b65b70e7cbd5488b8ac4270aa0582a927659ca23b5eeade','[]','[]');
INSERT INTO "packages" VALUES(4,1,'119','119','Farm 119','failed','ready','f119@members.tarnvale.example: recipient refused: 550 no such box',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','7ab9ffcb1aac3bc23f9b6e479a789816ec04e2260cc678e7158b2f4d3442e22a','[]','[]');
INSERT INTO "packages" VALUES(5,1,'120','120','Farm 120','unsure','ready','f120@members.tarnvale.example: handed over, and no answer is known',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','fd98222ba78dda6e09c05132109e61daee20c1f68ae5f0a1e6e9c9764847603b','[]','[]');
CREATE TABLE runs (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	title TEXT NOT NULL, 
	job_sha256 VARCHAR(64) NOT NULL, 
	state VARCHAR NOT NULL, 
	as_of VARCHAR(10) NOT NULL, 
	prepared VARCHAR NOT NULL, 
	seconds INTEGER NOT NULL, 
	parameters JSON NOT NULL, 
	period VARCHAR NOT NULL, 
	cycle TEXT NOT NULL, 
	purpose VARCHAR NOT NULL, 
	only TEXT NOT NULL, 
	account JSON NOT NULL, 
	findings JSON NOT NULL, 
	reviewed VARCHAR, 
	PRIMARY KEY (id)
);
INSERT INTO "runs" VALUES(1,'statements','Milk statements','2261b9dfa22de445262903c131513a3813505b86345c40de7a535a4e9dee25a5','prepared','2026-11-05','2026-11-29T06:09:34.757+00:00',431,'{"month": "2026-10"}','month 2026-10','2026-10','regular','[]','{"measured": {"recipients": 5, "totals": {"rows": "5"}}, "read": 5, "delivered": 5, "withheld": {}, "controls": []}','[]',NULL);
CREATE TABLE write_backs (
	package_id INTEGER NOT NULL, 
	state VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (package_id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
CREATE INDEX runs_by_job ON runs (job, cycle);
CREATE UNIQUE INDEX packages_by_run ON packages (run_id, "key");
CREATE INDEX ix_documents_package_id ON documents (package_id);
CREATE INDEX ix_messages_package_id ON messages (package_id);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_hand_overs_package_id ON hand_overs (package_id);
CREATE INDEX ix_hand_overs_message_id ON hand_overs (message_id);
CREATE INDEX hand_overs_by_run ON hand_overs (run_id);
CREATE INDEX hand_overs_by_day ON hand_overs (day);
CREATE INDEX hand_overs_by_target ON hand_overs (target);
COMMIT;
