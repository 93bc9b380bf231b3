/** Passwords that people choose again and again, of those that are long enough; in small letters. */
export const commonPasswords: ReadonlySet<string> = new Set(
  `000000000000 111111111111 123412341234 123456123456 1234567890123 123456789012 1234567890123456 12345678901234567890
  0123456789012 0987654321098 987654321098 098765432109 112233445566 121212121212 123123123123 123321123321
  147258369147 159753159753 1q2w3e4r5t6y 1q2w3e4r5t6y7u 1q2w3e4r5t6y7u8i 1qaz2wsx3edc 1qaz2wsx3edc4rfv q1w2e3r4t5y6
  qazwsxedcrfv qwerty123456 qwertyuiop12 qwertyuiop123 qwertyuiop1234 qwertyuiopas qwertyqwerty qwerty1234567
  qwertyuiop[] qwertyuiopasdf asdfghjkl123 asdfghjkl1234 asdfghjklzxc zxcvbnm12345 zxcvbnm123456 zxcvbnmasdfg
  abcdefghijkl abcdefghijklm abcdefghijklmnop abcd12345678 abc123456789 abcabcabcabc aaaaaaaaaaaa a1b2c3d4e5f6
  password1234 password12345 password123456 password123! password1234! passwordpassword p@ssword1234 p@ssw0rd1234
  pa$$word1234 passw0rd1234 mypassword123 mypassword1234 newpassword12 newpassword123 newpassword1234 changeme1234
  changemenow1 changeme12345 letmein12345 letmein123456 letmeinplease welcome12345 welcome123456 welcomehome1
  administrator administrator1 administrator123 adminadmin12 adminadmin123 admin1234567 admin12345678 rootrootroot
  iloveyou1234 iloveyou12345 iloveyou123456 iloveyousomuch iloveyouforever ihateyou1234 princess1234 princess12345
  sunshine1234 sunshine12345 football1234 football12345 baseball1234 basketball12 basketball123 superman1234
  superman12345 batman123456 dragon123456 monkey123456 shadow123456 master123456 michael12345 jennifer1234
  computer1234 computer12345 internet1234 internet12345 samsung12345 samsung123456 starwars1234 pokemon12345
  trustno1trustno1 whatever1234 whatever12345 secret123456 secretsecret secretpassword opensesame12 opensesame123
  correcthorse correcthorsebatterystaple thisismypassword thisisapassword thisispassword iamtheadmin1
  contraseña123 contrasena123 contraseña1234 contrasena1234 micontraseña micontrasena1 teamo1234567 tequiero1234
  bienvenido12 bienvenido123 bienvenido1234 barcelona123 barcelona1234 realmadrid12 realmadrid123 estrella1234
  passwort1234 passwort12345 passwort123456 meinpasswort hallo1234567 willkommen12 willkommen123 schatz123456
  motdepasse12 motdepasse123 motdepasse1234 bonjour12345 azertyuiop12 azertyuiop123 azertyuiop1234 jetaime12345
  summer2024!! winter2024!! spring2025!! autumn2025!! summer2025!! winter2025!! summer2026!! winter2026!!`.split(
    /\s+/,
  ),
);
