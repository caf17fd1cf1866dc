BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL, 
	written_by VARCHAR NOT NULL, 
	identity VARCHAR(32) NOT NULL, 
	home TEXT NOT NULL, 
	sends INTEGER NOT NULL
, events INTEGER DEFAULT '0' NOT NULL, head VARCHAR(64) DEFAULT '' NOT NULL);
INSERT INTO "about" VALUES(11,'0.2.0','b9a7c086d62842a0b830039e50e5214d','',2,15,'8124bd35633d0c279a0d09669965413017a229343b2197304027d91c54489640');
CREATE TABLE alembic_version (version_num varchar(32) not null primary key);
INSERT INTO "alembic_version" VALUES('11');
CREATE TABLE approvals (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	who VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	why TEXT NOT NULL, 
	digest VARCHAR(64) NOT NULL, 
	voided VARCHAR, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
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
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6',19147,1,1,'54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6');
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6',19147,1,1,'54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6');
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6',19147,1,1,'54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6');
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6',19147,1,1,'54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6');
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6',19147,1,1,'54e1e13ab9f87806afc0ccff1446ea83ea6b6f479bedf5c158d2a2f91e949aa6');
CREATE TABLE entries (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	name VARCHAR NOT NULL, 
	says JSON NOT NULL, 
	since VARCHAR NOT NULL, 
	seen VARCHAR NOT NULL, 
	mark TEXT DEFAULT '' NOT NULL, 
	unasked INTEGER DEFAULT '0' NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (job, name)
);
CREATE TABLE events (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	package_id INTEGER, 
	at VARCHAR NOT NULL, 
	what TEXT NOT NULL, part_id INTEGER, content VARCHAR(64), standing VARCHAR(64), salt VARCHAR(16) DEFAULT '' NOT NULL, said VARCHAR(64), digest VARCHAR(64) DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id)
);
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-05T12:00:00.000+00:00','preparing',NULL,NULL,NULL,'1b19e5e2216a7777',NULL,'ea02f811122488ec2fa99f6d6d5f7a8ff6366c24f6d3ac3f4e76dbcfb73ac6ed');
INSERT INTO "events" VALUES(2,1,1,'2026-11-05T12:00:00.000+00:00','ready',NULL,NULL,NULL,'ae841d36d4772959',NULL,'8e30cb050a5654ded64c29f81fbe267336e522545e3d2947995006d4b3a4687f');
INSERT INTO "events" VALUES(3,1,2,'2026-11-05T12:00:00.000+00:00','ready',NULL,NULL,NULL,'f35aabcabcf93edd',NULL,'d4e895452ab43d25096434d7dc5e143109bd8ea36ff022a12f407d945e12ed4e');
INSERT INTO "events" VALUES(4,1,3,'2026-11-05T12:00:00.000+00:00','ready',NULL,NULL,NULL,'9cdbdfaf8222cca6',NULL,'65186f937bd56cfbf2d9ddfdb36c539e6ac4e889145f75f69cfb57622620316e');
INSERT INTO "events" VALUES(5,1,4,'2026-11-05T12:00:00.000+00:00','ready',NULL,NULL,NULL,'1304a2f80088e972',NULL,'eafb1be36419d4ae7fd131c033df2fda4b11057e6deb3bcc8c3ddad2f153e614');
INSERT INTO "events" VALUES(6,1,5,'2026-11-05T12:00:00.000+00:00','ready',NULL,NULL,NULL,'e72997226a54db87',NULL,'4eebf7bb6c988420ca0b1d9e1873e539a6443689472e004813389cb9da9553c3');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-05T12:00:00.000+00:00','prepared by root',NULL,NULL,NULL,'7875174f073b83b7',NULL,'89f160940f974968eb001502bef7bead7a4a1ed70237a2c983b74901e233e98e');
INSERT INTO "events" VALUES(8,1,3,'2026-11-05T12:00:00.000+00:00','held by maren: ask first',NULL,NULL,NULL,'f90ece161bf2ca5d',NULL,'186729cea2016e8d4fd6d1a444d37518287c5ea7fbdc072b283188bbc7c6cad6');
INSERT INTO "events" VALUES(9,1,1,'2026-11-05T12:00:00.000+00:00','f00042@members.tarnvale.example: sent (250 taken)',NULL,NULL,NULL,'435045eb770555a0',NULL,'a4cebcfc5bf741a9fe35d563d64dcab1a577210330afbe6246b4f09f6647f77d');
INSERT INTO "events" VALUES(10,1,2,'2026-11-05T12:00:00.000+00:00','f117@members.tarnvale.example: unsure (cut off before the answer)',NULL,NULL,NULL,'b959635817ae27f4',NULL,'6be61db59be4f3d24494171596eba3a49b0cbf9f36596be39b609cddfbf6fd27');
INSERT INTO "events" VALUES(11,1,4,'2026-11-05T12:00:00.000+00:00','f119@members.tarnvale.example: refused (recipient refused: 550 nobody of that name)',NULL,NULL,NULL,'6b8cf0b25e46d48c',NULL,'afa594f1e1015b397c0a2628de2e6b288eb11d4f1717c202c8342bc44420c911');
INSERT INTO "events" VALUES(12,1,NULL,'2026-11-05T12:00:00.000+00:00','ledger brought from form 7 to 8',NULL,NULL,NULL,'b07e8ed3b34cebbb',NULL,'530f7b2c2cea8c72ae629b049b0599ebd6af83a2f47111066a7b83146b28c5cb');
INSERT INTO "events" VALUES(13,1,NULL,'2026-11-29T12:00:00.000+00:00','ledger brought from form 8 to 9',NULL,NULL,NULL,'3a332f361ccfc521',NULL,'6847d70f2ee33afb26bc5f0ef48b37e3a454f34a623228d67cee4c29f275612a');
INSERT INTO "events" VALUES(14,1,NULL,'2026-11-29T12:00:00.000+00:00','ledger brought from form 9 to 10',NULL,NULL,NULL,'5ea5069cde36229e',NULL,'23d2bab94e968195dbe78589e6069a281f543295502162730b0ad72977e54bf9');
INSERT INTO "events" VALUES(15,1,NULL,'2026-11-30T09:00:00.000+00:00','ledger brought from form 10 to 11',NULL,'2f812b563270a772d0dc4c5d607d8fb27859ae80d401d5361dd9ecdc79576f9a','3bdd6dc5affea2fba95cad4516f644c235d20494a100a1ec3f56b56c3dc603b4','b576f228f45460be',NULL,'8124bd35633d0c279a0d09669965413017a229343b2197304027d91c54489640');
CREATE TABLE "hand_overs" (
	id INTEGER NOT NULL, 
	run_id INTEGER, 
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
	FOREIGN KEY(message_id) REFERENCES messages (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "hand_overs" VALUES(1,1,1,1,'regular','message','','address','f00042@members.tarnvale.example','','','','sent','',250,'taken','','2026-11-05T12:00:00.000+00:00','2026-11-05',1);
INSERT INTO "hand_overs" VALUES(2,1,2,2,'regular','message','','address','f117@members.tarnvale.example','','','','unsure','',NULL,'cut off before the answer','','2026-11-05T12:00:00.000+00:00','2026-11-05',1);
INSERT INTO "hand_overs" VALUES(3,1,3,3,'regular','message','','address','f118@members.tarnvale.example','','','','waiting','',NULL,'','',NULL,NULL,0);
INSERT INTO "hand_overs" VALUES(4,1,4,4,'regular','message','','address','f119@members.tarnvale.example','','','','refused','recipient',550,'nobody of that name','','2026-11-05T12:00:00.000+00:00','2026-11-05',1);
INSERT INTO "hand_overs" VALUES(5,1,5,5,'regular','message','','address','f120@members.tarnvale.example','','','','begun','',NULL,'','','2026-11-05T12:00:00.000+00:00','2026-11-05',1);
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
INSERT INTO "messages" VALUES(1,1,'<0b97874b3d22cd6f5f9086e0cfbddbe2@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f00042@members.tarnvale.example"]','[]','[]','["00042 statement.pdf"]','70b63fdfe5d48e54b044817c52d13becd36e7b5ace645bd50196b52a9b05bd44');
INSERT INTO "messages" VALUES(2,2,'<d9ad4573b11394bf4ddeba6e102f3e40@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f117@members.tarnvale.example"]','[]','[]','["117 statement.pdf"]','2adcd4b0095417a1ba637444dc6b9df15743682555fcfc9f56169e221ed0fa01');
INSERT INTO "messages" VALUES(3,3,'<95ad93966d1656ddce606fb36fdcab36@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f118@members.tarnvale.example"]','[]','[]','["118 statement.pdf"]','fc76b0360b3789f58bccf56c7d7ddbf20de0d8facdd6496af57bc17da13d47d0');
INSERT INTO "messages" VALUES(4,4,'<587d9b16a60f1396fc11bbb8a4ce9edf@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f119@members.tarnvale.example"]','[]','[]','["119 statement.pdf"]','e352c944ce2a9c2c123fbc1a25d5c3335ce8e2673a39419e2e683b1b953eb8f7');
INSERT INTO "messages" VALUES(5,5,'<fe8427729a403e177f31eee8bc3caab2@tarnvale.example>','standard','Statement','statements@tarnvale.example','office','["f120@members.tarnvale.example"]','[]','[]','["120 statement.pdf"]','212be2cb38e5017a9ccbd072b0ca5160d42223846a0e7a2d8bc87655f6851b2d');
CREATE TABLE notices (
	id INTEGER NOT NULL, 
	at VARCHAR NOT NULL, 
	occurrence_id INTEGER, 
	run_id INTEGER, 
	tell TEXT DEFAULT '' NOT NULL, 
	subject TEXT NOT NULL, 
	text TEXT NOT NULL, 
	told VARCHAR, 
	trouble TEXT DEFAULT '' NOT NULL, 
	alarmed VARCHAR, 
	is_digest BOOLEAN DEFAULT '0' NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE occurrences (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	entry VARCHAR NOT NULL, 
	named VARCHAR NOT NULL, 
	due VARCHAR NOT NULL, 
	says JSON NOT NULL, 
	state VARCHAR NOT NULL, 
	reason TEXT DEFAULT '' NOT NULL, 
	entered VARCHAR NOT NULL, 
	begun VARCHAR, 
	ended VARCHAR, 
	tries INTEGER DEFAULT '0' NOT NULL, 
	next_try VARCHAR, 
	mark TEXT DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (job, entry, named)
);
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
	hits JSON NOT NULL, once TEXT DEFAULT '' NOT NULL, contacts JSON DEFAULT '[]' NOT NULL, kept JSON DEFAULT '{}' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','00042','Farm 00042','sent','ready','',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','k1:AWMOYkzZr5LQk5Wxikk_tjJ3A6VJEBs6uf8Xl5Gz0Uc','[]','[]','[]','','[]','{}');
INSERT INTO "packages" VALUES(2,1,'117','117','Farm 117','unsure','ready','f117@members.tarnvale.example: cut off before the answer',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','k1:JmRk8tTlwkusomYiQ_NjxHrjC6u2_ZpIq_L7aEMcOy4','[]','[]','[]','','[]','{}');
INSERT INTO "packages" VALUES(3,1,'118','118','Farm 118','held','ready','ask first',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','k1:jKyiSe9TjpI-wGWpX9wH4IYr80D8lnc1T6WHbLTOb5U','[]','[]','[]','','[]','{}');
INSERT INTO "packages" VALUES(4,1,'119','119','Farm 119','failed','ready','f119@members.tarnvale.example: recipient refused: 550 nobody of that name',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','k1:e11JCMxcmAUVxHaxD2yQ_SuuMYcMgi7Eck7HeqP0bpM','[]','[]','[]','','[]','{}');
INSERT INTO "packages" VALUES(5,1,'120','120','Farm 120','unsure','ready','f120@members.tarnvale.example: handed over, and no answer is known',1,'{"": {"rows": 1, "cause": "", "sums": {}}}','{"rows": "1"}','[]','k1:co_nftmbmeZGcQiUdpYZnDeyMUOwlUR5FujWmmXzpWM','[]','[]','[]','','[]','{}');
CREATE TABLE pauses (
	id INTEGER NOT NULL, 
	job VARCHAR NOT NULL, 
	at VARCHAR NOT NULL, 
	until VARCHAR(10), 
	who TEXT NOT NULL, 
	why TEXT NOT NULL, 
	resumed VARCHAR, 
	resumed_by TEXT DEFAULT '' NOT NULL, 
	PRIMARY KEY (id)
);
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
	unsearched JSON NOT NULL, 
	sealed VARCHAR NOT NULL, 
	reviewed VARCHAR, reason TEXT DEFAULT '' NOT NULL, occurrence_id INTEGER, prepared_by VARCHAR DEFAULT '' NOT NULL, approval JSON DEFAULT '[]' NOT NULL, 
	PRIMARY KEY (id)
);
INSERT INTO "runs" VALUES(1,'statements','Milk statements','2261b9dfa22de445262903c131513a3813505b86345c40de7a535a4e9dee25a5','prepared','2026-11-05','2026-11-05T12:00:00.000+00:00',518,'{"month": "2026-10"}','month 2026-10','2026-10','regular','[]','{"measured": {"recipients": 5, "totals": {"rows": "5"}}, "read": 5, "delivered": 5, "withheld": {}, "controls": []}','[]','["4 short values, where they do not stand alone, in names or behind what the job calls a key"]','keyed',NULL,'',NULL,'','[]');
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
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_runs_occurrence_id ON runs (occurrence_id);
CREATE INDEX ix_hand_overs_package_id ON hand_overs (package_id);
CREATE INDEX hand_overs_by_target ON hand_overs (target);
CREATE INDEX hand_overs_by_run ON hand_overs (run_id);
CREATE INDEX ix_hand_overs_message_id ON hand_overs (message_id);
CREATE INDEX hand_overs_by_day ON hand_overs (day);
CREATE INDEX occurrences_by_state ON occurrences (state);
CREATE INDEX ix_pauses_job ON pauses (job);
CREATE INDEX ix_notices_occurrence_id ON notices (occurrence_id);
CREATE INDEX ix_approvals_run_id ON approvals (run_id);
COMMIT;
