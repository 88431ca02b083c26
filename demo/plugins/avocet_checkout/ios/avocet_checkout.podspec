Pod::Spec.new do |s|
  s.name = 'avocet_checkout'
  s.version = '2.0.0'
  s.summary = 'Takes payments for supporters.'
  s.homepage = 'https://docs.marram.example/avocet_checkout'
  s.license = 'MIT'
  s.author = 'Marram'
  s.source = { :path => '.' }
  s.source_files = 'Classes/**/*'
  s.platform = :ios, '13.0'
end
