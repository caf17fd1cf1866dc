BEGIN TRANSACTION;
CREATE TABLE about (
	version INTEGER NOT NULL
);
INSERT INTO "about" VALUES(3);
CREATE TABLE deliveries (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR, 
	attempts INTEGER NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "deliveries" VALUES(1,1,'f00042@members.tarnvale.example','sent',250,'taken','2026-11-29T02:47:04.680+00:00',1);
INSERT INTO "deliveries" VALUES(2,2,'f117@members.tarnvale.example','unsure',NULL,'connection lost before the answer','2026-11-29T02:47:04.686+00:00',1);
INSERT INTO "deliveries" VALUES(3,3,'f118@members.tarnvale.example','waiting',NULL,'',NULL,0);
INSERT INTO "deliveries" VALUES(4,4,'f119@members.tarnvale.example','refused',550,'no such box','2026-11-29T02:47:04.688+00:00',0);
INSERT INTO "deliveries" VALUES(5,5,'f120@members.tarnvale.example','handing',NULL,'',NULL,0);
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
INSERT INTO "documents" VALUES(1,1,'00042 statement.pdf','statement','pdf','9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884',29058,1,1,'9e7d8ddc724e8beba69af7220c44606db259237338dab4b21b719f9752c5c884');
INSERT INTO "documents" VALUES(2,2,'117 statement.pdf','statement','pdf','94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0',29059,1,1,'94017afd61fe14e99c0c0159764215581818410450ad5b194fdf4aec22c68de0');
INSERT INTO "documents" VALUES(3,3,'118 statement.pdf','statement','pdf','18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718',29058,1,1,'18c40dcef8ca4a70e99cffd51668f7757758436bf62b43eb28e9088b34ff0718');
INSERT INTO "documents" VALUES(4,4,'119 statement.pdf','statement','pdf','1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398',29056,1,1,'1e10c2cf3c6ea088e228663f1e1911da90bcc12a32ac26fd72ceae18fdec4398');
INSERT INTO "documents" VALUES(5,5,'120 statement.pdf','statement','pdf','3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920',29057,1,1,'3d9aa25055435f30b79818f2182cb792d3811c1b53af47c65c03bf5f42d9a920');
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
INSERT INTO "events" VALUES(1,1,NULL,'2026-11-29T02:47:02.486+00:00','preparing');
INSERT INTO "events" VALUES(2,1,1,'2026-11-29T02:47:02.552+00:00','ready');
INSERT INTO "events" VALUES(3,1,2,'2026-11-29T02:47:02.552+00:00','ready');
INSERT INTO "events" VALUES(4,1,3,'2026-11-29T02:47:02.552+00:00','held: more than the tank holds');
INSERT INTO "events" VALUES(5,1,4,'2026-11-29T02:47:02.553+00:00','ready');
INSERT INTO "events" VALUES(6,1,5,'2026-11-29T02:47:02.553+00:00','ready');
INSERT INTO "events" VALUES(7,1,NULL,'2026-11-29T02:47:02.572+00:00','prepared');
INSERT INTO "events" VALUES(8,1,1,'2026-11-29T02:47:03.745+00:00','trial to me@tarnvale.example: sent');
INSERT INTO "events" VALUES(9,1,1,'2026-11-29T02:47:04.682+00:00','f00042@members.tarnvale.example: sent (250 taken)');
INSERT INTO "events" VALUES(10,1,2,'2026-11-29T02:47:04.686+00:00','f117@members.tarnvale.example: unsure (connection lost before the answer)');
INSERT INTO "events" VALUES(11,1,4,'2026-11-29T02:47:04.688+00:00','f119@members.tarnvale.example: refused (550 no such box)');
CREATE TABLE messages (
	id INTEGER NOT NULL, 
	package_id INTEGER NOT NULL, 
	message_id VARCHAR NOT NULL, 
	called VARCHAR NOT NULL, 
	subject TEXT NOT NULL, 
	sender TEXT NOT NULL, 
	"to" JSON NOT NULL, 
	cc JSON NOT NULL, 
	bcc JSON NOT NULL, 
	sha256 VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(package_id) REFERENCES packages (id), 
	UNIQUE (message_id)
);
INSERT INTO "messages" VALUES(1,1,'<2971a67c7f8eaecb87d6b85ab147840c@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f00042@members.tarnvale.example"]','[]','[]','571792f2fdb45dd6c4f86c54800b3675152bb33007d9adfbcb90d493d718e295');
INSERT INTO "messages" VALUES(2,2,'<4ee9c2b40fa49fac2d33706d95acc4cc@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f117@members.tarnvale.example"]','[]','[]','f62363c13b1f64133dc41037d3b9220699fc15f0d4ef043851f0255d1a0100dd');
INSERT INTO "messages" VALUES(3,3,'<2702259b495c5024e230b1472474c363@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f118@members.tarnvale.example"]','[]','[]','94e336ad8036daafa7c9ff2100a10e811f096a5f4078cae9ebdc06aae1224826');
INSERT INTO "messages" VALUES(4,4,'<d037936e8c622af9a3454c4ee50494a6@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f119@members.tarnvale.example"]','[]','[]','0678021e4c0f7f81226d2a5d03565a27d50bc67812ef20cbb0d62201e86046db');
INSERT INTO "messages" VALUES(5,5,'<45cb6e368efd04dc6e5de66a1bc7a9be@tarnvale.example>','standard','Statement','statements@tarnvale.example','["f120@members.tarnvale.example"]','[]','[]','08c63e83c267ff5c416ff210decae26ed6c527f96012e6a9e8a9452ef8c40b2d');
CREATE TABLE packages (
	id INTEGER NOT NULL, 
	run_id INTEGER NOT NULL, 
	"key" TEXT NOT NULL, 
	name TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	reason TEXT NOT NULL, 
	rows INTEGER NOT NULL, 
	figures JSON NOT NULL, 
	odd JSON NOT NULL, 
	seal VARCHAR(64) NOT NULL, 
	steps JSON NOT NULL, 
	keys JSON NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(run_id) REFERENCES runs (id)
);
INSERT INTO "packages" VALUES(1,1,'00042','Farm 00042','sent','',1,'{"rows": "1", "payable": "588.05"}','[]','fd0e31d74a00a9a9224773932b2616f8daf4d323200b0a96898a56ae9b301334','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(2,1,'117','Farm 117','unsure','f117@members.tarnvale.example: connection lost before the answer',1,'{"rows": "1", "payable": "392.40"}','[]','f2c9bfafea2180910315172ff435f64e8b6ed3b0e1d51a22cbf3d4f912ed7809','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(3,1,'118','Farm 118','held','more than the tank holds',1,'{"rows": "1", "payable": "3136.00"}','[]','4d2e1f16a38d0096b1eec9dd48ff87fe85ffc6368e3f1ee8a088281b5e37b3ab','[["a lot", true, ["hold: more than the tank holds"], []]]','[]');
INSERT INTO "packages" VALUES(4,1,'119','Farm 119','failed','f119@members.tarnvale.example: no such box',1,'{"rows": "1", "payable": "10.00"}','[]','100e55628139cf468bbfee221e22a2db917f2ac7f8c184b63d822a2809996040','[["a lot", false, [], []]]','[]');
INSERT INTO "packages" VALUES(5,1,'120','Farm 120','ready','',1,'{"rows": "1", "payable": "11.00"}','[]','2942672ddd53778c58f095b02b85034141ac8a09e75900c36e648cbedcbafe3a','[["a lot", false, [], []]]','[]');
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
	account JSON NOT NULL, 
	findings JSON NOT NULL, 
	server VARCHAR, 
	reviewed VARCHAR, 
	PRIMARY KEY (id)
);
INSERT INTO "runs" VALUES(1,'statements','Milk statements','0b081564f586bbb590afdbc74890ef0229cc3220569cd36b266c196f525fb345','prepared','2026-11-05','2026-11-29T02:47:02.483+00:00',315,'{"period": "2026-10"}','{"measured": {"recipients": 5, "totals": {"rows": "5", "payable": "4137.45"}}, "read": 5, "delivered": 4, "withheld": {"rule": 1}, "controls": [{"column": "amount", "whole": "4137.45", "delivered": "1001.45", "withheld": "3136.00"}]}','[]','office',NULL);
CREATE TABLE trials (
	id INTEGER NOT NULL, 
	message_id INTEGER NOT NULL, 
	address TEXT NOT NULL, 
	state VARCHAR NOT NULL, 
	code INTEGER, 
	reply TEXT NOT NULL, 
	at VARCHAR NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(message_id) REFERENCES messages (id)
);
INSERT INTO "trials" VALUES(1,1,'me@tarnvale.example','sent',250,'taken','2026-11-29T02:47:03.744+00:00');
CREATE UNIQUE INDEX packages_by_run ON packages (run_id, "key");
CREATE INDEX ix_documents_package_id ON documents (package_id);
CREATE INDEX ix_messages_package_id ON messages (package_id);
CREATE INDEX ix_events_run_id ON events (run_id);
CREATE INDEX ix_events_package_id ON events (package_id);
CREATE INDEX ix_deliveries_message_id ON deliveries (message_id);
CREATE INDEX ix_trials_message_id ON trials (message_id);
COMMIT;
